#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

std::vector<Finding> findings_of(const Universe& universe, const Settings& settings) {
  std::vector<Finding> findings;
  for (const auto& bars : universe.bars) {
    const auto used = settings.fields.pick(bars.asset, bars.fields_held());
    const auto adjusted =
        std::ranges::find_if(universe.adjusted, [&](const Adjusted& a) { return a.history.asset == bars.asset; });
    for (auto finding : findings_in(bars, used, settings.drop_misprints)) {
      const bool worked_in = finding.kind == "split" && adjusted != universe.adjusted.end() &&
                             std::ranges::find(adjusted->splits, *finding.notice.where.day) != adjusted->splits.end();
      if (worked_in) {
        finding.severity = Severity::note;
        finding.notice.remedies = {"None: the actions have it, and it is worked in"};
      }
      findings.push_back(std::move(finding));
    }
  }
  const auto across = findings_across(universe.histories, universe.aligned.coverage);
  findings.insert(findings.end(), across.begin(), across.end());
  return findings;
}

std::optional<Notice> notice_of(const std::vector<Finding>& findings, const Settings& settings) {
  const auto warnings = std::ranges::count(findings, Severity::warning, &Finding::severity);
  if (warnings == 0) return std::nullopt;
  const auto& first = *std::ranges::find(findings, Severity::warning, &Finding::severity);
  const auto& place = first.notice.where;
  const auto which = fmt::format("{}{}: {}", place.asset, place.day ? " on " + to_string(*place.day) : "", first.kind);
  if (settings.strict) {
    throw InputError(
        "prices",
        fmt::format("{} finding{} ({}), and strictness was asked for", warnings,
                    warnings == 1 ? " is a warning" : "s are warnings", which),
        {Means::inspect, warnings == 1 ? "Look at it, and at what to do" : "Look at them, each with what to do"});
  }
  return Notice({},
                fmt::format("The prices have {} warning{} ({}{})", warnings, warnings == 1 ? "" : "s", which,
                            warnings == 1 ? "" : ", ..."),
                {{Means::inspect, warnings == 1 ? "Look at it" : "Look at them"}});
}

}  // namespace inchtide
