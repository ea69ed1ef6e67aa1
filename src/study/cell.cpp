// What is known and kept of one combination of a grid.

#include <fmt/format.h>

#include <Eigen/Core>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/version.hpp"
#include "inchtide/study/grid.hpp"
#include "study/packing.hpp"

extern "C" const char* openblas_get_corename() __attribute__((weak));  // null with another BLAS

namespace inchtide {
namespace {

/// Instructions by which the mathematical functions choose among their own kernels.
std::string instructions() {
  std::string names;
#if defined(__x86_64__)
  __builtin_cpu_init();
  if (__builtin_cpu_supports("avx2")) names += " avx2";
  if (__builtin_cpu_supports("fma")) names += " fma";
  if (__builtin_cpu_supports("avx512f")) names += " avx512";
#endif
  return names.empty() ? " plain" : names;
}

}  // namespace

Bytes GridCell::bytes() const {
  auto plain = schedule;
  auto methods = estimator;
  plain.name.clear();
  methods.name.clear();
  return Packing().add(plain).add(cost_level).add(aim).add(methods).add(window).add(delay).add(start).bytes();
}

GridCell GridCell::from_bytes(std::span<const std::byte> bytes) {
  GridCell cell;
  Unpacking unpacking(bytes);
  unpacking.take(cell.schedule)
      .take(cell.cost_level)
      .take(cell.aim)
      .take(cell.estimator)
      .take(cell.window)
      .take(cell.delay)
      .take(cell.start);
  if (!unpacking.at_end()) throw InputError("cell", "its bytes go on after its end", "Make it anew");
  cell.schedule.name = cell.schedule.text();
  cell.estimator.name = cell.estimator.text();
  return cell;
}

const std::vector<KeptFigure>& kept_figures() {
  static const std::vector<KeptFigure> all = {
      {"growth_per_year", [](const Rehearsal& run) { return run.growth_per_year; }, true},
      {"volatility", [](const Rehearsal& run) { return run.volatility; }, true},
      {"sharpe", [](const Rehearsal& run) { return run.sharpe; }},
      {"sharpe_error", [](const Rehearsal& run) { return run.sharpe_error; }},
      {"sharpe_error_correlated", [](const Rehearsal& run) { return run.sharpe_error_correlated; }},
      {"sortino", [](const Rehearsal& run) { return run.sortino; }},
      {"max_drawdown", [](const Rehearsal& run) { return run.max_drawdown; }, true},
      {"tracking_to_targets", [](const Rehearsal& run) { return run.tracking_to_targets; }, true},
      {"turnover_per_year", [](const Rehearsal& run) { return run.turnover_per_year; }, true},
      {"turnover_after_first", [](const Rehearsal& run) { return run.turnover_after_first; }, true},
      {"cost_per_year", [](const Rehearsal& run) { return run.cost_per_year; }, true},
      {"costs_paid", [](const Rehearsal& run) { return run.costs_paid; }},
      {"order_count", [](const Rehearsal& run) { return double(run.order_count); }},
      {"trading_days", [](const Rehearsal& run) { return double(run.trades.size()); }},
      {"growth", [](const Rehearsal& run) { return run.growth; }, true},
      {"mean_per_year", [](const Rehearsal& run) { return run.mean_per_year; }, true},
      {"rows_per_year", [](const Rehearsal& run) { return run.rows_per_year; }},
      {"end_wealth", [](const Rehearsal& run) { return run.net[run.net.size() - 1]; }}};
  return all;
}

std::size_t kept_figure(std::string_view name) {
  std::vector<std::string> names;
  for (const auto& one : kept_figures()) names.emplace_back(one.name);
  if (const auto found = find_name(name, names)) return *found;
  throw InputError(fmt::format("figure '{}'", name), "none of that name is kept of a run", did_you_mean(name, names));
}

std::string numerics_here() {
  const char* kernels = openblas_get_corename != nullptr ? openblas_get_corename() : "another";
  static const auto text = fmt::format("inchtide {}, compiler {}, Eigen {}.{}.{} {}, BLAS kernels {}, processor{}",
                                       version, __VERSION__, EIGEN_WORLD_VERSION, EIGEN_MAJOR_VERSION,
                                       EIGEN_MINOR_VERSION, Eigen::SimdInstructionSetsInUse(), kernels, instructions());
  return text;
}

}  // namespace inchtide
