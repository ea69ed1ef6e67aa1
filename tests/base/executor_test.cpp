#include "inchtide/base/executor.hpp"

#include <gmock/gmock.h>

#include <atomic>
#include <barrier>
#include <chrono>
#include <cmath>
#include <mutex>
#include <numeric>
#include <set>
#include <stdexcept>
#include <thread>

#include "inchtide/base/draws.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

using testing::ElementsAre;

TEST(Executor, DoesEachPieceOnceAndKeepsResultsInOrder) {
  for (int threads : {1, 2, 3, 0}) {
    std::vector<std::atomic<int>> done(2000);
    const auto results = Executor(threads).collect(done.size(), [&](std::size_t i) {
      ++done[i];
      return std::to_string(i);
    });
    for (std::size_t i = 0; i < done.size(); ++i) {
      ASSERT_EQ(done[i], 1) << i;
      ASSERT_EQ(results[i], std::to_string(i));
    }
  }
}

TEST(Executor, TakesAsManyThreadsAsAskedForAndNoMoreThanThereAre) {
  const int there = Executor(0).threads();
  EXPECT_EQ(Executor(1).threads(), 1);
  EXPECT_EQ(Executor(2).threads(), std::min(2, there));
  EXPECT_EQ(Executor(1000000).threads(), there);
  EXPECT_EQ(Executor::of_waiters(there + 3).threads(), there + 3) << "who waits takes no processor";
  EXPECT_EQ(Executor::of_waiters(0).threads(), 1);
}

TEST(Executor, GivesTheSameBitsForAnyNumberOfThreads) {
  const auto sums = [](int threads) {
    return Executor(threads).collect(500, [](std::size_t draw) {
      RandomDraw random(5, draw);
      double sum = 0;
      for (int k = 0; k < 1000; ++k) sum += std::log(1 + random.uniform());
      return sum;
    });
  };
  const auto one = sums(1);
  EXPECT_EQ(sums(2), one);
  EXPECT_EQ(sums(0), one);
  EXPECT_GT(std::set<double>(one.begin(), one.end()).size(), 490u) << "draws of their own";
}

TEST(Executor, ThrowsTheFailureOfTheLowestIndexWhoeverFailsFirst) {
  for (int round = 0; round < 50; ++round) {
    std::atomic<int> low_done = 0;
    try {
      Executor(2).each(100, [&](std::size_t i) {
        if (i < 37) {
          std::this_thread::sleep_for(std::chrono::microseconds(20));
          ++low_done;
        }
        if (i == 37 || i > 60) throw InputError(std::to_string(i), "it fails");
      });
      FAIL() << "nothing was thrown";
    } catch (const InputError& error) {
      ASSERT_EQ(error.notice().where.what, "37");
    }
    ASSERT_EQ(low_done, 37) << "below a failure all are done";
  }
}

TEST(Executor, AnythingThatIsThrownComesOut) {
  EXPECT_THROW(Executor(2).each(10, [](std::size_t) { throw std::logic_error("no error of the library"); }),
               std::logic_error);
}

TEST(Executor, MayStandInsideAnother) {
  const auto total = [](int outer, int inner) {
    const auto rows = Executor(outer).collect(40, [&](std::size_t i) {
      const auto cells = Executor(inner).collect(50, [&](std::size_t j) { return double(i * 50 + j); });
      return std::accumulate(cells.begin(), cells.end(), 0.0);
    });
    return std::accumulate(rows.begin(), rows.end(), 0.0);
  };
  for (int outer : {1, 2, 0}) {
    for (int inner : {1, 2, 0}) EXPECT_EQ(total(outer, inner), 2000 * 1999 / 2.0);
  }
}

TEST(Executor, APieceIsNotBrokenIntoByAnotherOfTheSameCall) {
  // While a thread waits for the pieces of an inner call it must not begin another outer one: what it keeps a thread
  // would be used twice.
  std::atomic<bool> broken = false;
  Executor(0).each(64, [&](std::size_t) {
    thread_local bool inside = false;
    if (inside) broken = true;
    inside = true;
    Executor(0).each(16, [](std::size_t) { std::this_thread::yield(); });
    inside = false;
  });
  EXPECT_FALSE(broken);
}

TEST(Executor, BeginsNothingBehindAFailure) {
  std::atomic<int> begun = 0;
  const auto fails_at_first = [&](std::size_t index) {
    ++begun;
    if (index == 0) throw InputError("first", "it fails");
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  };
  EXPECT_THROW(Executor(2).each(1000, fails_at_first), InputError);
  EXPECT_LT(begun, 500);
}

TEST(Executor, StopsBetweenPieces) {
  for (int threads : {1, 2}) {
    std::atomic<int> begun = 0;
    const Watch watch{[&] { return begun >= 10; }, {}};
    EXPECT_THROW(Executor(threads).each(
                     1000, [&](std::size_t) { ++begun; }, watch),
                 Interrupted);
    EXPECT_GE(begun, 10);
    EXPECT_LE(begun, 10 + threads) << "what was begun is finished";
  }
}

TEST(Executor, AFailureIsThrownThoughItWasStopped) {
  const Watch watch{[] { return true; }, {}};
  EXPECT_THROW(Executor(1).each(
                   3, [](std::size_t) {}, watch),
               Interrupted);
  int asked = 0;
  const Watch later{[&] { return ++asked > 1; }, {}};
  EXPECT_THROW(Executor(1).each(
                   3, [](std::size_t) { throw InputError("first", "it fails"); }, later),
               InputError);
}

TEST(Executor, TellsItsProgressOnceAPiece) {
  for (int threads : {1, 2}) {
    std::vector<std::size_t> told;
    const Watch watch{{}, [&](std::size_t done, std::size_t all, const std::string&) {
                        EXPECT_EQ(all, 200u);
                        told.push_back(done);
                      }};
    Executor::of_waiters(threads).each(
        200, [](std::size_t) { std::this_thread::sleep_for(std::chrono::microseconds(20)); }, watch);
    std::vector<std::size_t> expected(200);
    std::iota(expected.begin(), expected.end(), 1u);
    EXPECT_EQ(told, expected);
  }
}

TEST(Executor, WaitersAreAllAtItAtOnce) {
  // Each waits until all are there: with fewer threads than pieces this would not end.
  std::barrier all(12);
  Executor::of_waiters(12).each(12, [&](std::size_t) { all.arrive_and_wait(); });
}

TEST(Executor, UsesNoMoreThreadsThanAskedFor) {
  std::mutex mutex;
  std::set<std::thread::id> seen;
  Executor(2).each(200, [&](std::size_t) {
    std::this_thread::sleep_for(std::chrono::microseconds(50));
    const std::lock_guard guard(mutex);
    seen.insert(std::this_thread::get_id());
  });
  EXPECT_LE(seen.size(), 2u);
}

TEST(RandomDraw, IsEvenAndItsDrawsAreApart) {
  // The mean of n even numbers is within 5 sd of 1/2, 5 / sqrt(12 n); neighbouring draws are not correlated.
  const int n = 100000;
  double sum = 0, product = 0;
  for (int draw = 0; draw < n; ++draw) {
    const double here = RandomDraw(1, std::uint64_t(draw)).uniform();
    const double next = RandomDraw(1, std::uint64_t(draw) + 1).uniform();
    sum += here;
    product += (here - 0.5) * (next - 0.5);
  }
  EXPECT_NEAR(sum / n, 0.5, 5 / std::sqrt(12.0 * n));
  EXPECT_NEAR(12 * product / n, 0, 5 / std::sqrt(double(n)));
  std::vector<int> counts(7);
  RandomDraw random(3, 9);
  for (int k = 0; k < 70000; ++k) ++counts[random.below(7)];
  for (int count : counts) EXPECT_NEAR(count, 10000, 500);
}

}  // namespace
}  // namespace inchtide
