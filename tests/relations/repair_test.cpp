// Repaired correlations against the conditions of the nearest matrix, and against alternating projections.

#include "inchtide/relations/repair.hpp"

#include <cmath>
#include <random>

#include "inchtide/relations/correlation.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

// Correlations with random figures put in place of some: they contradict each other.
Eigen::MatrixXd contradictory(int n, double share, unsigned seed) {
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> uniform(-1, 1);
  Eigen::MatrixXd r = Eigen::MatrixXd::Constant(n, n, 0.4);
  for (int j = 0; j < n; ++j) {
    for (int i = j + 1; i < n; ++i) {
      if (std::abs(uniform(random)) < share) r(i, j) = uniform(random);
      r(j, i) = r(i, j);
    }
  }
  r.diagonal().setOnes();
  return r;
}

Eigen::MatrixXd part_above_zero(const Eigen::MatrixXd& a) {
  const auto [values, vectors] = test::eigen_of(a);
  const Eigen::MatrixXd scaled = vectors * values.cwiseMax(0).asDiagonal();
  return test::product(scaled, vectors.transpose());
}

// Higham 2002, algorithm 3.3: alternating projections with Dykstra's correction.
Eigen::MatrixXd by_projections(const Eigen::MatrixXd& a) {
  Eigen::MatrixXd y = a, correction = Eigen::MatrixXd::Zero(a.rows(), a.cols());
  for (int k = 0; k < 20000; ++k) {
    const Eigen::MatrixXd r = y - correction, x = part_above_zero(r);
    correction = x - r;
    const Eigen::MatrixXd before = y;
    y = x;
    y.diagonal().setOnes();
    if ((y - before).norm() < 1e-13) break;
  }
  return y;
}

TEST(Repair, SatisfiesTheConditionsOfTheNearestMatrix) {
  for (const auto& [n, share, seed] : {std::tuple{4, 1.0, 8u}, {8, 0.5, 2u}, {30, 0.3, 3u}, {60, 1.0, 4u}}) {
    const auto g = contradictory(n, share, seed);
    const auto repaired = nearest_correlation(g);
    ASSERT_LT(repaired.least_eigenvalue, -1e-3);
    const auto& x = repaired.matrix;
    EXPECT_EQ(x.diagonal(), Eigen::VectorXd::Ones(n));
    EXPECT_EQ(x, x.transpose());
    const Eigen::VectorXd values = test::eigen_of(x).values;
    EXPECT_GT(values[0], -1e-12 * n);
    EXPECT_NEAR(repaired.distance, (x - g).norm(), 1e-12);
    EXPECT_EQ(repaired.largest_change, std::abs(x(repaired.row, repaired.column) - g(repaired.row, repaired.column)));
    // X - G = Diag(y) + Z with Z positive semidefinite and X Z = 0. Off the diagonal Z is known; X Z = 0 on the
    // diagonal gives y: (X (X - G))_ii = y_i, X having ones there.
    const Eigen::VectorXd y = test::product(x, x - g).diagonal();
    Eigen::MatrixXd z = x - g;
    z.diagonal() -= y;
    EXPECT_GT(test::eigen_of(z).values[0], -1e-9 * n);
    EXPECT_LT(test::product(x, z).norm(), 1e-9 * n);
  }
}

TEST(Repair, AgreesWithAlternatingProjections) {
  for (const auto& [n, share, seed] : {std::tuple{3, 1.0, 5u}, {6, 0.6, 6u}, {15, 0.4, 7u}}) {
    const auto g = contradictory(n, share, seed);
    EXPECT_LT((nearest_correlation(g).matrix - by_projections(g)).norm(), 1e-7);
  }
}

TEST(Repair, LeavesAMatrixThatHoldsTogetherAsItIs) {
  Eigen::MatrixXd r = Eigen::MatrixXd::Constant(5, 5, 0.3);
  r.diagonal().setOnes();
  const auto repaired = nearest_correlation(r);
  EXPECT_EQ(repaired.matrix, r);
  EXPECT_EQ(repaired.distance, 0);
  EXPECT_EQ(nearest_correlation(Eigen::MatrixXd::Ones(4, 4)).distance, 0);  // singular, and in order
  EXPECT_EQ(nearest_correlation(Eigen::MatrixXd::Ones(1, 1)).distance, 0);
}

TEST(Repair, NamesThePlaceOfWhatIsNoCorrelation) {
  Eigen::MatrixXd r = Eigen::MatrixXd::Identity(3, 3);
  r(2, 1) = 0.5;
  EXPECT_THAT(message_of([&] { nearest_correlation(r); }), HasSubstr("row 3, column 2: it differs"));
  r(1, 2) = 0.5;
  r(1, 1) = 0.9;
  EXPECT_THAT(message_of([&] { nearest_correlation(r); }), HasSubstr("row 2, column 2: an asset's correlation"));
  r(1, 1) = 1;
  r(0, 2) = r(2, 0) = NAN;
  EXPECT_THAT(message_of([&] { nearest_correlation(r); }), HasSubstr("not a finite number"));
  EXPECT_THROW(nearest_correlation(Eigen::MatrixXd::Ones(2, 3)), InputError);
}

// ---- pair by pair ---------------------------------------------------------------------------------------------------

// Three assets of which each two share other periods: A and B go together, B and C too, A and C against each other.
ReturnTable in_patches() {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  ReturnTable table;
  table.assets = {"A", "B", "C"};
  table.returns = Eigen::MatrixXd::Constant(60, 3, NAN);
  table.spans = Eigen::MatrixXi::Zero(60, 3);
  for (Eigen::Index t = 0; t < 60; ++t) {
    table.days.push_back(Day{std::chrono::days{t}});
    const double common = normal(random);
    const Eigen::Index absent = t / 20;  // C, then A, then B
    for (Eigen::Index k = 0; k < 3; ++k) {
      if (k == (absent + 2) % 3) continue;
      const double sign = absent == 2 && k == 0 ? -1 : 1;
      table.returns(t, k) = sign * common + 0.1 * normal(random);
      table.spans(t, k) = 1;
    }
  }
  return table;
}

TEST(Pairwise, TakesEachPairOverItsOwnPeriodsAndRepairsContradictions) {
  const auto table = in_patches();
  const auto c = pairwise_correlation(table);
  EXPECT_EQ(c.observations, 20u);
  EXPECT_EQ(c.observations_of(0, 0), 40u);
  ASSERT_TRUE(c.repair);
  EXPECT_LT(c.repair->least_eigenvalue, -0.5);
  // Before the repair the pairs are near 1, 1 and -1; the nearest matrix to that has 0.5, 0.5 and -0.5.
  EXPECT_NEAR(c.matrix(0, 1), 0.5, 0.02);
  EXPECT_NEAR(c.matrix(1, 2), 0.5, 0.02);
  EXPECT_NEAR(c.matrix(0, 2), -0.5, 0.02);
  EXPECT_THAT(message_of([&] { correlation_of(table); }), HasSubstr("0 return common to all"));
}

TEST(Pairwise, IsTheSameAsOverCompleteRowsWhereThereAreNoHoles) {
  auto table = in_patches();
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  for (auto& r : table.returns.reshaped()) r = normal(random);
  table.spans.setOnes();
  const auto complete = correlation_of(table), pairwise = pairwise_correlation(table);
  EXPECT_LT((complete.matrix - pairwise.matrix).norm(), 1e-14);
  EXPECT_FALSE(pairwise.repair);
  EXPECT_EQ(pairwise.observations, 60u);
}

TEST(Pairwise, NamesAPairWithNothingInCommonAndMarksWhatNeverMoves) {
  auto table = in_patches();
  table.spans.block(0, 0, 20, 2).setZero();  // A and B no longer meet
  table.returns.block(0, 0, 20, 2).setConstant(NAN);
  EXPECT_THAT(message_of([&] { pairwise_correlation(table); }),
              HasSubstr("correlation of A and B: 0 return in common"));
  auto still = in_patches();
  for (Eigen::Index t = 0; t < 60; ++t) {
    if (still.spans(t, 2) > 0) still.returns(t, 2) = 0.01;
  }
  const auto c = pairwise_correlation(still);
  EXPECT_EQ(c.motionless, std::vector<std::string>{"C"});
  EXPECT_TRUE(std::isnan(c.matrix(2, 0)));
  EXPECT_EQ(c.matrix(2, 2), 1);
  EXPECT_GT(c.matrix(1, 0), 0.9);
}

}  // namespace
}  // namespace inchtide
