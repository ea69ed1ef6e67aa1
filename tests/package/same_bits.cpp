// A mandate's portfolios, worked out by a program compiled for its own processor, beside those that the tool wrote.
//   same-bits MANDATE ANSWER.json
#include <cstdio>
#include <cstring>

#include "inchtide/base/blas_threads.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/result_files.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/study/portfolios.hpp"

using namespace inchtide;

int main(int, char** arguments) try {
  use_one_blas_thread();
  const auto mandate = read_mandate(arguments[1]);
  const auto sources = read_sources(mandate);
  const auto universe = universe_of(sources, mandate.settings);
  const auto basis = basis_of(universe, sources, mandate.settings);
  const auto own = portfolios_of(basis, sources, mandate.settings).all;
  const auto told = exchange::read_allocations(arguments[2]);
  if (own.empty() || own.size() != told.size()) return std::puts("other portfolios"), 1;
  for (std::size_t k = 0; k < own.size(); ++k) {
    const auto &mine = own[k].weights, &its = told[k].weights;
    const auto bytes = std::size_t(mine.size()) * sizeof(double);
    if (own[k].name != told[k].name || mine.size() != its.size() || std::memcmp(mine.data(), its.data(), bytes) != 0) {
      return std::printf("%s: weights differ by up to %.3g\n", own[k].name.c_str(), (mine - its).cwiseAbs().maxCoeff()),
             1;
    }
  }
  std::printf("%zu portfolios, the same bits\n", own.size());
} catch (const Error& error) {
  std::puts(error.what());
  return 1;
}
