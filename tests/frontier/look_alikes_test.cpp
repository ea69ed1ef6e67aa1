// Assets that are next to the same, as share classes and rounded prices make them: walked through, or named.

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/unsolved.hpp"
#include "support/problems.hpp"
#include "support/rounds.hpp"

namespace inchtide::look_alikes {
namespace {

using testing::AllOf;
using testing::HasSubstr;

const int all_rounds = test::rounds(1500);

/// Thirty assets of sixty returns, three of them copied with noise of 1e-4 to 1e-8 of a return.
Estimate with_copies(std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  constexpr int n = 30, periods = 60;
  Eigen::MatrixXd x(periods, n);
  for (int t = 0; t < periods; ++t) {
    const double market = 0.04 * normal(random);
    for (int i = 0; i < n; ++i) x(t, i) = market + 0.05 * normal(random);
  }
  const double noise = std::pow(10.0, -4 - 0.5 * double(random() % 9));
  for (int copy = 0; copy < 3; ++copy) {
    const int from = int(random() % n), to = int(random() % n);
    for (int t = 0; from != to && t < periods; ++t) x(t, to) = x(t, from) + noise * normal(random);
  }
  const Eigen::VectorXd mean = x.colwise().mean();
  x.rowwise() -= mean.transpose();
  const Eigen::MatrixXd s = 12.0 / (periods - 1) * test::product(x.transpose(), x);
  const bool tie = random() % 3 == 0;
  return test::estimate_of(tie ? Eigen::VectorXd::Constant(n, 0.05).eval() : (12 * mean).eval(),
                           (s + s.transpose()) / 2);
}

TEST(LookAlikes, AreWalkedThroughAtAnyNoiseLongAndShort) {
  std::mt19937_64 random(1340);
  const std::vector<std::vector<std::string>> kinds = {{},
                                                       {"each <= 10%"},
                                                       {"each >= -10%", "each <= 20%"},
                                                       {"short <= 20%", "gross <= 139%", "each <= 40%"},
                                                       {"gross <= 150%"}};
  for (int round = 0; round < all_rounds; ++round) {
    const auto estimate = with_copies(random);
    Limits limits;
    for (const auto& text : kinds[random() % kinds.size()]) limits.push_back(Limit::parse(text));
    try {
      const auto frontier = trace_frontier(estimate, limits);
      const auto& corners = frontier.corners();
      for (std::size_t k = 0; k < corners.size(); ++k) EXPECT_TRUE(frontier.corner(k).certificate.holds()) << round;
      for (std::size_t k = 0; k + 1 < corners.size(); ++k) {
        const double middle = (corners[k].expected_return + corners[k + 1].expected_return) / 2;
        EXPECT_TRUE(frontier.at_return(middle).certificate.holds()) << round;
      }
      for (double lambda : {0.25, 0.05}) EXPECT_TRUE(frontier.at_lambda(lambda).certificate.holds()) << round;
    } catch (const Error& error) {
      ADD_FAILURE() << round << " is refused: " << error.what();
    }
  }
}

// Assets that are exactly the same are one asset with the sum of their bounds.
TEST(LookAlikes, CopiesAreOneAssetWithTheSumOfTheirBounds) {
  std::mt19937_64 random(77);
  std::uniform_real_distribution<double> uniform;
  int checked = 0;
  for (int round = 0; round < test::rounds(400); ++round) {
    const auto one = test::random_problem(random, 4, {});
    std::vector<Eigen::Index> kind;
    for (Eigen::Index k = 0; k < 4; ++k) kind.insert(kind.end(), 1 + random() % 3, k);
    std::ranges::shuffle(kind, random);
    const auto n = Eigen::Index(kind.size());
    auto each = Bounds::long_only(n), all = Bounds::long_only(4);
    all.upper.setZero();
    all.lower.setZero();
    for (Eigen::Index i = 0; i < n; ++i) {
      each.lower[i] = random() % 3 == 0 ? 0.02 * uniform(random) : 0;
      each.upper[i] = each.lower[i] + 0.05 + 0.6 * uniform(random);
      all.lower[kind[std::size_t(i)]] += each.lower[i];
      all.upper[kind[std::size_t(i)]] += each.upper[i];
    }
    if (all.upper.sum() < 1.01) continue;
    const Eigen::MatrixXd s = one.estimate.covariance.matrix();
    const auto copies = test::estimate_of(one.estimate.expected_return(kind), s(kind, kind));
    const auto plain = trace_frontier(test::estimate_of(one.estimate.expected_return, s), all);
    const auto frontier = trace_frontier(copies, each);
    const double top = plain.corners().front().expected_return, bottom = plain.corners().back().expected_return;
    EXPECT_NEAR(frontier.corners().front().expected_return, top, 1e-10) << round;
    EXPECT_NEAR(frontier.minimum_variance().volatility, plain.minimum_variance().volatility, 1e-9) << round;
    for (double part : {0.1, 0.5, 0.9}) {
      const double middle = bottom + part * (top - bottom);
      EXPECT_NEAR(frontier.at_return(middle).volatility, plain.at_return(middle).volatility, 1e-9) << round;
    }
    for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
      const auto weights = frontier.weights(k);
      EXPECT_TRUE((weights.array() >= each.lower.array() - 1e-12).all() &&
                  (weights.array() <= each.upper.array() + 1e-12).all())
          << round;
    }
    ++checked;
  }
  EXPECT_GT(checked, test::rounds(400) / 2);
}

TEST(LookAlikes, AreNamedWhereTheSolverIsDefeated) {
  Estimate estimate;  // returns so far apart that their difference is no number
  estimate.assets = {"SHARE-A", "SHARE-B", "OTHER"};
  estimate.expected_return = Eigen::Vector3d(1.7e308, -1.7e308, 0);
  estimate.covariance = Covariance::dense(
      (Eigen::Matrix3d() << 0.04, 0.0399999999, 0.01, 0.0399999999, 0.04, 0.01, 0.01, 0.01, 0.02).finished());
  try {
    trace_frontier(estimate, Limits{});
    FAIL();
  } catch (const UnsolvedProblem& unsolved) {
    EXPECT_THAT(unsolved.what(), AllOf(HasSubstr("SHARE-A and SHARE-B are next to the same (correlation 0.9999999975)"),
                                       HasSubstr("leave one of them out")));
  }
}

// Positive semidefinite, by elimination in fractions; three of its assets are copies of others to 1e-7.
TEST(LookAlikes, AreNotTakenForANegativeVariance) {
  const std::vector<double> entries = {
      3.138276742011685,    -0.7555719754952035,  0.14262196959498644, 0.142621852717154,     -0.014805837968033255,
      3.1382777107190645,   0.3290893152955896,   -0.7555719754952035, 4.983493507577898,     0.41002768242777415,
      0.41002802760584567,  0.37707328248587185,  -0.7555743643740935, -0.12926493132629943,  0.14262196959498644,
      0.41002768242777415,  3.816319913725493,    3.8163189402744573,  -0.07472809278976768,  0.1426208173128459,
      -0.6408368968361725,  0.142621852717154,    0.41002802760584567, 3.8163189402744573,    3.8163179668281657,
      -0.07472864098485539, 0.1426207004333835,   -0.6408368718235963, -0.014805837968033255, 0.37707328248587185,
      -0.07472809278976768, -0.07472864098485539, 1.3411141101691622,  -0.014805721399588974, 1.1611213191783099,
      3.1382777107190645,   -0.7555743643740935,  0.1426208173128459,  0.1426207004333835,    -0.014805721399588974,
      3.1382786794366506,   0.3290890977064022,   0.3290893152955896,  -0.12926493132629943,  -0.6408368968361725,
      -0.6408368718235963,  1.1611213191783099,   0.3290890977064022,  4.330438780581556};
  const Eigen::MatrixXd s = Eigen::Map<const Eigen::MatrixXd>(entries.data(), 7, 7);
  const auto estimate = test::estimate_of(Eigen::VectorXd::Constant(7, 0.05), s);
  Limits limits;
  for (const char* text : {"short <= 19.5%", "gross <= 139.1%", "each <= 39.8%", "A5 >= 12.83%"}) {
    limits.push_back(Limit::parse(text));
  }
  EXPECT_TRUE(trace_frontier(estimate, limits).minimum_variance().certificate.holds());
}

}  // namespace
}  // namespace inchtide::look_alikes
