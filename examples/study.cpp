// From a mandate to rehearsed schedules.   Usage: example-study demo/mandate.toml
#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/study/runs.hpp"

using namespace inchtide;

int main(int, char** arguments) try {
  const auto mandate = read_mandate(arguments[1]);
  const auto& settings = mandate.settings;
  const auto sources = read_sources(mandate);
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings, settings.split);
  const auto portfolios = portfolios_of(basis, sources, settings);
  const auto runs = runs_of(universe, basis, portfolios, sources, settings);
  for (const auto& run : runs.all) {
    fmt::print("{:40} {:18.8f} {:10.4f} {:6}\n", run.name, run.net[run.net.size() - 1], run.costs_paid,
               run.order_count);
  }
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}
