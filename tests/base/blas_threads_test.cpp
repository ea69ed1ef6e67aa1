#include "inchtide/base/blas_threads.hpp"

#include <dlfcn.h>
#include <gtest/gtest.h>

#include "inchtide/frontier/single.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/problems.hpp"

namespace {
int times_set = 0;
int last_set = 0;
}  // namespace

// Stands before the BLAS's own, and hands on.
extern "C" void openblas_set_num_threads(int threads) {
  ++times_set;
  last_set = threads;
  using Set = void (*)(int);
  if (const auto real = reinterpret_cast<Set>(dlsym(RTLD_NEXT, "openblas_set_num_threads"))) real(threads);
}

namespace inchtide {
namespace {

TEST(BlasThreads, AreTheProgramsAndNotTheLibrarys) {
  const int before = times_set;
  std::mt19937_64 random(3);
  const auto problem = test::random_problem(random, 30, {});
  auto bounds = problem.bounds;
  bounds.rows.push_back({-1, "two", Eigen::VectorXd::Unit(30, 4) + Eigen::VectorXd::Unit(30, 5), 0.1, 0.5});
  choose(trace_frontier(problem.estimate, bounds), Aim{Aim::Kind::maximum_diversification, 0}, 0);
  single_portfolio(problem.estimate, Bounds::long_only(30));
  EXPECT_EQ(times_set, before);
  use_one_blas_thread();
  EXPECT_EQ(times_set, before + 1);
  EXPECT_EQ(last_set, 1);
}

}  // namespace
}  // namespace inchtide
