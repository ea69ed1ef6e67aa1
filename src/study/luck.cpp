#include "inchtide/study/luck.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {
namespace {

/// Those that the study made; the benchmark's stands last where there is one.
std::size_t count_of(const Runs& runs) {
  return runs.all.size() - (runs.against.empty() ? 0 : 1);
}

std::size_t find_baseline(const Runs& runs, std::size_t count, const std::string& wanted) {
  if (wanted.empty()) return 0;
  std::vector<std::string> names;
  for (const auto part : {&Rehearsal::name, &Rehearsal::schedule, &Rehearsal::aim}) {
    for (std::size_t k = 0; k < count; ++k) {
      if (same_name(runs.all[k].*part, wanted)) return k;
      names.push_back(runs.all[k].*part);
    }
  }
  throw InputError("baseline", fmt::format("no run, schedule or portfolio is called '{}'", wanted),
                   did_you_mean(wanted, names));
}

}  // namespace

StudyLuck luck_among(const Runs& runs, const Settings& settings, double risk_free, LuckOptions options) {
  StudyLuck luck;
  const auto count = count_of(runs);
  luck.baseline = find_baseline(runs, count, settings.baseline);
  if (count < 2) throw InputError("luck", "there is one run", "Rehearse several, of which one is the baseline");
  luck.rows_per_year = runs.all.front().rows_per_year;
  const double free_of_risk = risk_free / luck.rows_per_year;
  const auto returns = [&](std::size_t k) -> Eigen::VectorXd {
    return returns_of(runs.all[k], settings.delay).array() - free_of_risk;
  };
  const Eigen::VectorXd baseline = returns(luck.baseline);
  Eigen::MatrixXd others(baseline.size(), Eigen::Index(count) - 1);
  for (std::size_t k = 0; k < count; ++k) luck.names.push_back(runs.all[k].name);
  for (std::size_t k = 0; k + 1 < count; ++k) others.col(Eigen::Index(k)) = returns(luck.of_all(k));
  options.tried = settings.tried;
  luck.judged = luck_of(others, baseline, options);
  return luck;
}

StudyLuck luck_with_timing(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                           const Sources& sources, const Settings& settings, const Runs& runs,
                           const LuckOptions& options) {
  auto luck = luck_among(runs, settings, basis.risk_free, options);
  const auto timing = [&](std::size_t run) {
    return timing_of(universe, basis, portfolios, sources, settings, runs.all[run].aim, options);
  };
  if (luck.judged.best) luck.timing = timing(luck.of_all(*luck.judged.best));
  if (luck.timing.empty()) luck.timing = timing(luck.baseline);
  return luck;
}

}  // namespace inchtide
