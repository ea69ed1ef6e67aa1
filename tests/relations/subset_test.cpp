// The least related subset against trying every one.

#include "inchtide/relations/subset.hpp"

#include <bit>
#include <cmath>
#include <random>

#include "support/linear.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

// Correlations of n series with a few common factors over t periods.
Eigen::MatrixXd correlations(int n, int t, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(t, n);
  for (int row = 0; row < t; ++row) {
    const double market = normal(random), tide = normal(random), wind = normal(random);
    for (int i = 0; i < n; ++i) {
      x(row, i) = (0.2 + 0.1 * (i % 7)) * market + (i % 2 == 0 ? 0.6 : -0.3) * tide + (i % 3 == 0 ? 0.5 : 0) * wind +
                  normal(random);
    }
  }
  x.rowwise() -= x.colwise().mean().eval();
  x.colwise().normalize();
  Eigen::MatrixXd r = test::product(x.transpose(), x);
  r = (0.5 * (r + r.transpose())).eval();
  r.diagonal().setOnes();
  return r;
}

// The least sum over all subsets of each size, by trying them all.
std::vector<double> least_sums(const Eigen::MatrixXd& r) {
  const int n = int(r.cols());
  std::vector<double> least(std::size_t(n) + 1, 1e300), sums(std::size_t(1) << n, 0);
  for (std::uint32_t set = 1; set < (1u << n); ++set) {
    const int first = std::countr_zero(set);
    const std::uint32_t rest = set & (set - 1);
    double sum = sums[rest];
    for (std::uint32_t left = rest; left != 0; left &= left - 1) sum += r(first, std::countr_zero(left));
    sums[set] = sum;
    auto& best = least[std::size_t(std::popcount(set))];
    best = std::min(best, sum);
  }
  return least;
}

double sum_of(const Eigen::MatrixXd& r, const std::vector<std::size_t>& members) {
  double sum = 0;
  for (auto i : members) {
    for (auto j : members) sum += i < j ? r(Eigen::Index(i), Eigen::Index(j)) : 0;
  }
  return sum;
}

TEST(LeastRelated, IsTheBestOfAllSubsetsOfEverySize) {
  for (const auto& [n, t, seed] : {std::tuple{20, 60, 1u}, {20, 12, 2u}, {17, 2000, 3u}, {12, 5, 4u}, {3, 40, 5u}}) {
    const auto r = correlations(n, t, seed);
    for (const bool absolute : {false, true}) {
      const Eigen::MatrixXd judged = absolute ? r.cwiseAbs().eval() : r;
      const auto least = least_sums(judged);
      for (int k = 1; k <= n; ++k) {
        SubsetOptions options;
        options.absolute = absolute;
        const auto subset = least_related(r, k, options);
        ASSERT_EQ(subset.members.size(), std::size_t(k));
        EXPECT_TRUE(subset.proven);
        EXPECT_EQ(subset.gap, 0);
        EXPECT_NEAR(subset.sum, least[std::size_t(k)], 1e-9) << n << " " << k;
        EXPECT_NEAR(subset.sum, sum_of(judged, subset.members), 1e-12);
        EXPECT_NEAR(subset.average * k * (k - 1) / 2, subset.sum, 1e-12);
      }
    }
  }
}

TEST(LeastRelated, WithTiesDuplicatesAndOpposites) {
  Eigen::MatrixXd r = Eigen::MatrixXd::Constant(9, 9, 0.5);
  r.diagonal().setOnes();
  EXPECT_NEAR(least_related(r, 4).sum, 3, 1e-12);  // all alike
  r.setOnes();                                     // all the same asset
  EXPECT_NEAR(least_related(r, 3).sum, 3, 1e-12);
  // Two blocks that move against each other: as many from the one as from the other.
  for (int i = 0; i < 9; ++i) {
    for (int j = 0; j < 9; ++j) r(i, j) = (i < 4) == (j < 4) ? 1 : -1;
  }
  const auto subset = least_related(r, 6);
  EXPECT_NEAR(subset.sum, least_sums(r)[6], 1e-12);
  EXPECT_EQ(std::ranges::count_if(subset.members, [](std::size_t i) { return i < 4; }), 3);
}

TEST(LeastRelated, WhenStoppedSaysHowFarOffItMayBe) {
  const auto r = correlations(20, 12, 7);
  SubsetOptions options;
  int asked = 0;
  options.should_stop = [&] { return ++asked > 3; };
  const auto stopped = least_related(r, 8, options);
  EXPECT_FALSE(stopped.proven);
  EXPECT_GT(stopped.gap, 0);
  const double least = least_sums(r)[8];
  EXPECT_GE(stopped.sum, least - 1e-12);
  EXPECT_LE(stopped.sum - 28 * stopped.gap, least + 1e-9) << "what it says can be gained covers the best";
}

TEST(LeastRelated, RefusesSizesThatThereAreNot) {
  const auto r = correlations(5, 40, 8);
  EXPECT_THAT(message_of([&] { least_related(r, 0); }), HasSubstr("0 of 5 assets"));
  EXPECT_THAT(message_of([&] { least_related(r, 6); }), HasSubstr("Give a number from 1 to 5"));
  Eigen::MatrixXd unknown = r;
  unknown(1, 2) = NAN;
  EXPECT_THROW(least_related(unknown, 2), InputError);
}

TEST(Subset, StoppedAtOnceSaysTheSumOfWhatItHas) {
  const auto r = correlations(40, 60, 9);
  SubsetOptions options;
  options.should_stop = [] { return true; };
  for (const int size : {3, 8, 15}) {
    const auto found = least_related(r, size, options);
    double sum = 0;
    for (std::size_t a = 0; a < found.members.size(); ++a) {
      for (std::size_t b = 0; b < a; ++b) sum += r(Eigen::Index(found.members[a]), Eigen::Index(found.members[b]));
    }
    EXPECT_NEAR(found.sum, sum, 1e-12) << size;
  }
}

}  // namespace
}  // namespace inchtide
