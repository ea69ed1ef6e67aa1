#include "inchtide/base/blas_threads.hpp"

#include <dlfcn.h>
#include <gtest/gtest.h>

#include <atomic>
#include <thread>

#include "inchtide/base/executor.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/single.hpp"
#include "inchtide/weights/allocation.hpp"
#include "support/problems.hpp"
#include "support/returns.hpp"

namespace {
int times_set = 0;
int last_set = 0;

std::atomic<bool> watched = false;
std::atomic<int> inside = 0, most_inside = 0;
struct Visit {
  Visit() {
    const int now = ++inside;
    for (int most = most_inside; watched && now > most && !most_inside.compare_exchange_weak(most, now);) {
    }
    if (watched) std::this_thread::yield();
  }
  ~Visit() { --inside; }
};
}  // namespace

extern "C" int openblas_get_parallel() __attribute__((weak));

// Stands before the BLAS's own, and hands on.
extern "C" void openblas_set_num_threads(int threads) {
  ++times_set;
  last_set = threads;
  using Set = void (*)(int);
  if (const auto real = reinterpret_cast<Set>(dlsym(RTLD_NEXT, "openblas_set_num_threads"))) real(threads);
}

extern "C" void dsyrk_(const char* uplo, const char* trans, const int* n, const int* k, const double* alpha,
                       const double* a, const int* lda, const double* beta, double* c, const int* ldc) {
  const Visit visit;
  static const auto real = reinterpret_cast<decltype(&dsyrk_)>(dlsym(RTLD_NEXT, "dsyrk_"));
  real(uplo, trans, n, k, alpha, a, lda, beta, c, ldc);
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

// Some builds of a BLAS share their work space among callers without a lock: of these one is called at a time. More
// threads than processors, so that they are interrupted anywhere.
TEST(BlasThreads, OfTheProgramAtOnceGetTheFiguresOfOne) {
  std::mt19937_64 random(8);
  std::normal_distribution<double> normal(0.005, 0.04);
  Eigen::MatrixXd returns(1500, 25);
  for (auto& r : returns.reshaped()) r = normal(random);
  const auto table = test::table_of(returns);
  const auto covariance = [&] { return sample_estimate(table).covariance.matrix(); };
  const Eigen::MatrixXd alone = covariance();
  watched = true;
  const auto off =
      Executor::of_waiters(16).collect(4000, [&](std::size_t) { return (covariance() - alone).cwiseAbs().maxCoeff(); });
  watched = false;
  EXPECT_EQ(std::ranges::count_if(off, [](double d) { return d != 0; }), 0);
  const bool shares = openblas_get_parallel != nullptr && openblas_get_parallel() == 0;
  EXPECT_EQ(most_inside == 1, shares) << most_inside << " at once";
}

}  // namespace
}  // namespace inchtide
