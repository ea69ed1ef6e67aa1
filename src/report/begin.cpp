#include "begin.hpp"

#include "json.hpp"

namespace inchtide::report {
namespace {

Json inputs_of(const Universe& universe, const Settings& settings, const Background& from) {
  Json inputs;
  if (!from.mandate.empty()) inputs["mandate"] = from.mandate;
  inputs["prices"] = from.prices;
  inputs["assets"] = universe.assets;
  inputs["benchmark"] = or_null(universe.benchmark);
  inputs["left_out"] = universe.left_out;
  if (!universe.passed_over.empty()) {
    auto list = Json::array();
    for (const auto& [asset, why] : universe.passed_over) {
      list.push_back({{"asset", asset}, {"error", why.text(from.spelt)}});
    }
    inputs["passed_over"] = list;
  }
  if (!universe.prices.days.empty()) {
    inputs["from"] = to_string(universe.prices.days.front());
    inputs["to"] = to_string(universe.prices.days.back());
  }
  inputs["every"] = universe.every.text();
  inputs["drop_misprints"] = settings.drop_misprints;
  inputs["align"] = settings.align.text();
  inputs["short_histories"] = to_string(universe.short_histories);
  inputs["last_period"] = settings.keep_last_period ? "keep" : "drop";
  if (!universe.currency.empty()) inputs["currency"] = universe.currency;
  return inputs;
}

Json inputs_of(const Basis& basis, const Universe* universe, const Settings& settings, const Background& from) {
  Json inputs;
  if (universe != nullptr) {
    inputs = inputs_of(*universe, settings, from);
    if (from.split) inputs["split"] = to_string(*from.split);
  } else {
    inputs["estimate"] = from.estimate;
    if (!from.mandate.empty()) inputs["mandate"] = from.mandate;
    inputs["assets"] = basis.estimate.assets;
  }
  if (!from.current.empty()) inputs["current"] = from.current;
  auto limits = Json::array();
  for (const auto& limit : basis.limits) limits.push_back(limit.text);
  inputs["limits"] = limits;
  inputs["risk_free"] = basis.risk_free;
  if (universe != nullptr) {
    inputs["expected"] = settings.methods.expected.text();
    inputs["covariance"] = settings.methods.covariance.text();
  }
  return inputs;
}

}  // namespace

Chapter begin_chapter(const std::string& command, const Universe& universe, const Settings& settings,
                      const Background& from, const std::vector<Notice>& warnings) {
  Chapter chapter{.command = command, .inputs = inputs_of(universe, settings, from), .warnings = universe.warnings};
  chapter.warnings.insert(chapter.warnings.end(), warnings.begin(), warnings.end());
  chapter.in_part = !universe.passed_over.empty();
  return chapter;
}

Chapter begin_chapter(const std::string& command, const Basis& basis, const Universe* universe,
                      const Settings& settings, const Background& from, const std::vector<Notice>& warnings) {
  Chapter chapter{.command = command, .inputs = inputs_of(basis, universe, settings, from)};
  if (universe != nullptr) {
    chapter.warnings = universe->warnings;
    chapter.in_part = !universe->passed_over.empty();
  }
  for (const auto* step : {&basis.warnings, &warnings}) {
    chapter.warnings.insert(chapter.warnings.end(), step->begin(), step->end());
  }
  return chapter;
}

}  // namespace inchtide::report
