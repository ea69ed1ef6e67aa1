// Estimators against their papers' formulas evaluated directly in long double, and against identities.

#include "inchtide/estimate/estimators.hpp"

#include <cmath>
#include <numbers>
#include <random>

#include "support/estimated.hpp"
#include "support/linear.hpp"
#include "support/messages.hpp"
#include "support/problems.hpp"

namespace inchtide::estimators {
namespace {

using test::estimated_by;
using test::inverse;
using test::LongMatrix;
using test::LongVector;
using test::message_of;
using test::monthly;
using test::product;
using test::returns_with_a_factor;
using testing::ElementsAre;
using testing::HasSubstr;
using Real = long double;

// ---- the rest -------------------------------------------------------------------------------------------------------

TEST(Estimators, DenominatorsDifferByTheirRatio) {
  const auto x = returns_with_a_factor(24, 4, 20);
  EstimateOptions options;
  const auto sample = estimate_by(monthly(x), options).estimate;
  options.denominator = Denominator::population;
  const auto population = estimate_by(monthly(x), options).estimate;
  EXPECT_EQ(population.denominator, Denominator::population);
  EXPECT_LT((sample.covariance.matrix() * 23 / 24 - population.covariance.matrix()).norm(), 1e-16);
}

// ---- log returns ----------------------------------------------------------------------------------------------------

TEST(Estimators, ErrorsOfMeansAreOfTheUnbiasedVarianceWhateverTheDenominator) {
  const Eigen::MatrixXd x = returns_with_a_factor(20, 3, 8);
  for (const auto denominator : {Denominator::sample, Denominator::population}) {
    EstimateOptions options;
    options.denominator = denominator;
    const auto errors = estimate_by(monthly(x), options).standard_errors;
    for (Eigen::Index i = 0; i < 3; ++i) {
      const double s2 = (x.col(i).array() - x.col(i).mean()).square().sum() / 19;
      EXPECT_NEAR(errors[i], 12 * std::sqrt(s2 / 20), 1e-14);
    }
  }
}

TEST(LogEstimates, AreConvertedAsLognormalGrowthHasIt) {
  Estimate log = test::estimate_of(Eigen::Vector2d(0.05, -0.02), Eigen::Matrix2d{{0.04, 0.018}, {0.018, 0.09}});
  log.returns = ReturnKind::log;
  const auto simple = simple_from_log(log);
  EXPECT_EQ(simple.returns, ReturnKind::simple);
  // Against moments of the lognormal distribution by quadrature over the two normal variables.
  constexpr int nodes = 400;
  constexpr Real span = 9;
  const Real a = 0.2L, b = 0.09L, c = std::sqrt(0.09L - b * b);  // Cholesky factor of the covariance
  Real total = 0, first = 0, second = 0, first_squared = 0, mixed = 0;
  for (int i = 0; i <= nodes; ++i) {
    for (int j = 0; j <= nodes; ++j) {
      const Real u = span * (2 * Real(i) / nodes - 1), v = span * (2 * Real(j) / nodes - 1);
      const Real weight = std::exp(-(u * u + v * v) / 2);
      const Real x = std::expm1(0.05L + a * u), y = std::expm1(-0.02L + b * u + c * v);
      total += weight, first += weight * x, second += weight * y;
      first_squared += weight * x * x, mixed += weight * x * y;
    }
  }
  first /= total, second /= total, first_squared /= total, mixed /= total;
  EXPECT_NEAR(simple.expected_return[0], double(first), 1e-12);
  EXPECT_NEAR(simple.expected_return[1], double(second), 1e-12);
  EXPECT_NEAR(simple.covariance.variance(0), double(first_squared - first * first), 1e-12);
  EXPECT_NEAR(simple.covariance.between(0, 1), double(mixed - first * second), 1e-12);
  EXPECT_THAT(message_of([&] { log.check_for_weights(); }), HasSubstr("don't add up across the assets"));
  log.expected_return[1] = 800;
  EXPECT_THAT(message_of([&] { simple_from_log(log); }), HasSubstr("A2: a mean of 800"));
}

TEST(LogEstimates, TakeTheManagersFiguresAsSimpleReturns) {
  auto table = monthly(returns_with_a_factor(60, 3, 31));
  table.returns = table.returns.array().log1p();
  table.kind = ReturnKind::log;
  EstimateOptions options;
  options.own = {{"a1", 0.07}};
  options.caps = {{"a2", -0.5}};
  const auto converted = simple_from_log(estimate_by(table, options).estimate);
  EXPECT_NEAR(converted.expected_return[0], 0.07, 1e-14);
  EXPECT_NEAR(converted.expected_return[1], -0.5, 1e-14);
  options.own = {{"a1", -1}};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("a loss of everything"));
  for (const char* method : {"geometric", "implied"}) {
    EstimateOptions other;
    other.expected = ExpectedMethod::parse(method, "");
    EXPECT_THAT(message_of([&] { estimate_by(table, other); }), HasSubstr("this method is for simple returns"));
  }
}

TEST(Estimators, ExponentialWeightsHalveAndTheirBiasIsCorrected) {
  const auto x = returns_with_a_factor(50, 3, 21);
  const auto got = estimated_by(x, "exponential:9", "exponential:9").estimate;
  LongVector w(50);
  for (int t = 0; t < 50; ++t) w[t] = std::pow(Real(0.5), Real(49 - t) / 9);
  w /= w.sum();
  const LongMatrix data = x.cast<Real>();
  const LongVector mean = product(data.transpose(), w);
  LongMatrix s = LongMatrix::Zero(3, 3);
  for (int t = 0; t < 50; ++t) {
    const LongVector off = data.row(t).transpose() - mean;
    s += w[t] * off * off.transpose();
  }
  s *= 12 / (1 - w.squaredNorm());
  EXPECT_LT(double((got.expected_return.cast<Real>() - 12 * mean).norm()), 1e-15);
  EXPECT_LT(double((got.covariance.matrix().cast<Real>() - s).norm()), 1e-16);
  // A half-life that goes on forever is the plain sample.
  const auto plain = estimated_by(x, "arithmetic", "sample").estimate;
  const auto endless = estimated_by(x, "exponential:1e12", "exponential:1e12").estimate;
  EXPECT_LT((plain.covariance.matrix() - endless.covariance.matrix()).norm(), 1e-12);
  EXPECT_THAT(message_of([&] { estimated_by(x, "arithmetic", "exponential:0.01"); }), HasSubstr("leaves one return"));
}

TEST(Estimators, BayesSteinShrinksToTheMinimumVariancePortfoliosMean) {
  const auto x = returns_with_a_factor(48, 5, 22);
  const auto got = estimated_by(x, "bayes-stein", "sample");
  const LongMatrix data = x.cast<Real>();
  const LongVector mean = data.colwise().mean().transpose();
  const LongMatrix off = data.rowwise() - mean.transpose();
  const LongMatrix v = product(off.transpose(), off) / 47 * (47 / Real(48 - 5 - 2));
  const LongMatrix inverted = inverse(v);
  const LongVector ones = LongVector::Ones(5);
  const Real common = ones.dot(product(inverted, mean).col(0)) / inverted.sum();
  const LongVector apart = mean - common * ones;
  const Real w = 7 / (7 + 48 * apart.dot(product(inverted, apart).col(0)));
  EXPECT_NEAR(*got.expected_intensity, double(w), 1e-12);
  EXPECT_LT(double((got.estimate.expected_return.cast<Real>() - 12 * ((1 - w) * mean + w * common * ones)).norm()),
            1e-14);
  EXPECT_THAT(message_of([] { estimated_by(returns_with_a_factor(7, 5, 1), "bayes-stein", "sample"); }),
              HasSubstr("7 returns for 5 assets are too few"));
}

TEST(Estimators, BayesSteinHasTheSameIntensityInAnyUnit) {
  const auto x = returns_with_a_factor(48, 5, 22);
  const auto intensity = [&](double unit) {
    return *estimated_by(unit * x, "bayes-stein", "sample").expected_intensity;
  };
  for (double unit : {1e-6, 1e-3, 1e3}) EXPECT_NEAR(intensity(unit), intensity(1), 1e-9) << unit;
}

TEST(Estimators, BayesSteinRefusesWhatHasNoInverse) {
  const auto singular = HasSubstr("the covariance is singular, and this method needs its inverse");
  Eigen::MatrixXd twins = returns_with_a_factor(48, 5, 22);
  twins.col(4) = twins.col(1);
  EXPECT_THAT(message_of([&] { estimated_by(twins, "bayes-stein", "sample"); }), singular);
  Eigen::MatrixXd still = returns_with_a_factor(48, 5, 22);
  still.col(0).setZero();
  EXPECT_THAT(message_of([&] { estimated_by(still, "bayes-stein", "sample"); }), singular);
  EXPECT_THAT(message_of([&] { estimated_by(Eigen::MatrixXd::Zero(48, 5), "bayes-stein", "sample"); }), singular);
}

TEST(Estimators, GeometricMeansCompound) {
  Eigen::MatrixXd x(12, 1);
  x << 0.1, -0.05, 0.02, 0.03, -0.08, 0.04, 0.01, 0, 0.06, -0.02, 0.05, -0.01;
  double wealth = 1;
  for (double r : x.reshaped()) wealth *= 1 + r;
  EXPECT_NEAR(estimated_by(x, "geometric", "sample").estimate.expected_return[0], wealth - 1, 1e-14);  // one year
}

TEST(Estimators, TheMarketModelIsRiskFreePlusBetaTimesPremium) {
  const auto x = returns_with_a_factor(60, 3, 23);
  const Eigen::VectorXd market = x.col(2);
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("market-model", "");
  options.risk_free = 0.02;
  options.premium = 0.05;
  const auto expected = estimate_by(monthly(x), options, market).estimate.expected_return;
  EXPECT_NEAR(expected[2], 0.07, 1e-15) << "the benchmark's own beta is 1";
  const Eigen::VectorXd m = market.array() - market.mean();
  const double beta = m.dot(x.col(0)) / m.squaredNorm();
  EXPECT_NEAR(expected[0], 0.02 + 0.05 * beta, 1e-14);
  options.premium.reset();
  EXPECT_NEAR(estimate_by(monthly(x), options, market).estimate.expected_return[2], 12 * market.mean(), 1e-14);
  EXPECT_THAT(message_of([&] { estimate_by(monthly(x), options); }), HasSubstr("there is no benchmark"));
}

TEST(Estimators, ImpliedReturnsMakeTheirWeightsOptimal) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("implied", "");
  options.risk_free = 0.01;
  options.risk_aversion = 4;
  options.implied_weights = Eigen::Vector3d(0.5, 0.3, 0.2);
  const auto e = estimate_by(monthly(returns_with_a_factor(60, 3, 24)), options).estimate;
  // max w'(E - rf) - 4/2 w'Sw without limits: w = S^-1 (E - rf) / 4.
  const Eigen::VectorXd excess = e.expected_return.array() - 0.01;
  const Eigen::VectorXd optimal = product(inverse(e.covariance.matrix()), excess) / 4;
  EXPECT_LT((optimal - options.implied_weights).norm(), 1e-12);
  options.implied_weights = Eigen::Vector2d(0.5, 0.5);
  EXPECT_THAT(message_of([&] { estimate_by(monthly(returns_with_a_factor(60, 3, 24)), options); }),
              HasSubstr("2 weights for 3 assets"));
}

TEST(Estimators, ViewsTakeAnyWeights) {
  const auto positions = [](const char* text) { return View::parse(text, "v", 1).positions; };
  using Positions = std::vector<std::pair<std::string, double>>;
  EXPECT_EQ(positions("50% TIDEMILL + 50% GALEWORK - KELPFARM = 4%"),
            (Positions{{"TIDEMILL", 0.5}, {"GALEWORK", 0.5}, {"KELPFARM", -1}}));
  EXPECT_EQ(positions("2 * HOLLBANK - HOLLBOND = 3%"), (Positions{{"HOLLBANK", 2}, {"HOLLBOND", -1}}));
  EXPECT_EQ(positions("-0.5*A1+'BB-A' = -1%"), (Positions{{"A1", -0.5}, {"BB-A", 1}}));
  EXPECT_EQ(positions("3MINES = 1%"), (Positions{{"3MINES", 1}})) << "a code may begin with a figure";
  for (const char* text : {"A B = 3%", "A + = 3%", "= 3%", "2 * = 3%", "A - 'B = 3%", "A = 3"}) {
    EXPECT_THAT(message_of([&] { positions(text); }), HasSubstr("view v")) << text;
  }
  const auto table = monthly(returns_with_a_factor(60, 4, 25));
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("50% A1 + 0.5 * A2 - 2 * A3 = 4%", "v", 1)};
  const Eigen::VectorXd e = estimate_by(table, options).estimate.expected_return;
  EXPECT_NEAR(0.5 * e[0] + 0.5 * e[1] - 2 * e[2], 0.04, 1e-14) << "a certain view holds";
}

TEST(Estimators, ViewsThatContradictEachOtherAreNamed) {
  const auto table = monthly(returns_with_a_factor(60, 4, 25));
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("A1 = 9%", "one", 1), View::parse("A2 = 4%", "two", 1),
                   View::parse("A1 - A2 = 2%", "three", 1)};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }),
              AllOf(HasSubstr("view three: it says 2%, and one and two with 100% confidence say 5%"),
                    HasSubstr("contradict each other")));
  options.views[2].expected_return = 0.05;
  const Eigen::VectorXd thrice = estimate_by(table, options).estimate.expected_return;
  options.views.push_back(View::parse("A3 = 7%", "four", 1));
  EXPECT_NEAR(estimate_by(table, options).estimate.expected_return[2], 0.07, 1e-14) << "one that comes after counts";
  options.views.pop_back();
  options.views.pop_back();
  EXPECT_LT((thrice - estimate_by(table, options).estimate.expected_return).norm(), 1e-14) << "nothing new";
  options.views = {View::parse("A1 = 9%", "one", 0.5), View::parse("A1 = 5%", "other", 0.5)};
  EXPECT_NO_THROW(estimate_by(table, options)) << "less sure ones meet in between";
}

TEST(Estimators, NonlinearShrinkageKeepsItsDenominator) {
  const auto table = monthly(returns_with_a_factor(60, 4, 25));
  EstimateOptions options;
  options.covariance = CovarianceMethod::parse("nonlinear", "");
  const Eigen::MatrixXd sample = estimate_by(table, options).estimate.covariance.matrix();
  options.denominator = Denominator::population;
  const Eigen::MatrixXd population = estimate_by(table, options).estimate.covariance.matrix();
  EXPECT_LT((population - sample * 59 / 60).norm(), 1e-15);
}

TEST(Estimators, ViewsAreBlendedByPrecision) {
  EstimateOptions options;
  options.expected = ExpectedMethod::parse("implied", "");
  const auto table = monthly(returns_with_a_factor(60, 4, 25));
  const auto prior = estimate_by(table, options).estimate;
  options.expected = ExpectedMethod::parse("views", "");
  options.views = {View::parse("A1 = 9%", "one", 0.4), View::parse("A2 - A3 = 2%", "two", 0.7)};
  const Eigen::VectorXd got = estimate_by(table, options).estimate.expected_return;
  // The same in its other form, whatever the factor tau: ((tau S)^-1 + P' W^-1 P)^-1 ((tau S)^-1 pi + P' W^-1 q).
  Eigen::MatrixXd p(2, 4);
  p << 1, 0, 0, 0, 0, 1, -1, 0;
  const Eigen::MatrixXd ts = 0.1 * prior.covariance.matrix();
  const Eigen::MatrixXd across = p.transpose();
  const Eigen::VectorXd spread = product(product(p, ts), across).diagonal();
  const Eigen::VectorXd w = Eigen::Vector2d(spread[0] * 0.6 / 0.4, spread[1] * 0.3 / 0.7);
  const Eigen::MatrixXd sure = w.cwiseInverse().asDiagonal() * p;
  const Eigen::MatrixXd precision = inverse(ts) + product(across, sure);
  const Eigen::VectorXd said = Eigen::Vector2d(0.09, 0.02).cwiseQuotient(w);
  const Eigen::VectorXd other =
      product(inverse(precision), product(inverse(ts), prior.expected_return) + product(across, said));
  EXPECT_LT((got - other).norm(), 1e-12);
  for (double tau : {1.0, 1e-3}) {
    const Eigen::MatrixXd scaled = tau / 0.1 * ts;
    const Eigen::VectorXd doubt = tau / 0.1 * w;
    const Eigen::MatrixXd by_precision = inverse(scaled) + product(across, doubt.cwiseInverse().asDiagonal() * p);
    const Eigen::VectorXd same =
        product(inverse(by_precision), product(inverse(scaled), prior.expected_return) +
                                           product(across, Eigen::Vector2d(0.09, 0.02).cwiseQuotient(doubt)));
    EXPECT_LT((got - same).norm(), 1e-12) << "tau cancels";
  }
  // Certain views hold exactly.
  for (auto& view : options.views) view.confidence = 1;
  const Eigen::VectorXd certain = estimate_by(table, options).estimate.expected_return;
  EXPECT_NEAR(certain[0], 0.09, 1e-14);
  EXPECT_NEAR(certain[1] - certain[2], 0.02, 1e-14);
  options.views = {View::parse("A9 = 9%", "who", 0.4)};
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("view who: no asset has the code 'A9'"));
  options.views.clear();
  EXPECT_THAT(message_of([&] { estimate_by(table, options); }), HasSubstr("views: there are none"));
  EXPECT_THAT(message_of([] { View::parse("A1", "v", 0.5); }), HasSubstr("it has no '='"));
  EXPECT_THAT(message_of([] { View::parse("A1 = 0.09", "v", 0.5); }), HasSubstr("has no % sign"));
  EXPECT_THAT(message_of([] { View::parse("A1 - = 2%", "v", 0.5); }), HasSubstr("a code is missing"));
}

TEST(Estimators, OwnFiguresWinThenCapsAndBothAreMarked) {
  EstimateOptions options;
  options.own = {{"a1", 0.5}, {"a2", -0.1}};
  options.caps = {{"a3", 0.0001}};
  const auto got = estimate_by(monthly(returns_with_a_factor(60, 3, 26)), options);
  EXPECT_EQ(got.estimate.expected_return[0], 0.5);
  EXPECT_EQ(got.estimate.expected_return[1], -0.1);
  EXPECT_EQ(got.estimate.expected_return[2], 0.0001);
  EXPECT_THAT(got.own, ElementsAre("A1", "A2"));
  EXPECT_THAT(got.capped, ElementsAre("A3"));
  EXPECT_NE(got.sample_means[0], 0.5);
  options.own.clear();
  options.caps = {{"a1", 9}, {"a2", 0.0001}, {"a3", 9}};
  EXPECT_THAT(estimate_by(monthly(returns_with_a_factor(60, 3, 26)), options).capped, ElementsAre("A2"))
      << "caps that are not reached come first";
  options.own = {{"a1", 0.5}, {"a2", -0.1}};
  options.caps = {{"a1", 0.2}};
  EXPECT_THAT(message_of([&] { estimate_by(monthly(returns_with_a_factor(60, 3, 26)), options); }),
              HasSubstr("its own figure 50% is above its cap 20%"));
  options.own = {{"b", 0.1}};
  options.caps.clear();
  EXPECT_THAT(message_of([&] { estimate_by(monthly(returns_with_a_factor(60, 3, 26)), options); }),
              HasSubstr("no asset has this code"));
}

TEST(Estimators, AdviceNamesTooFewReturns) {
  EXPECT_THAT(estimated_by(returns_with_a_factor(5, 6, 1), "arithmetic", "sample").advice.at(0).problem,
              HasSubstr("5 returns for 6 assets: the sample covariance is singular"));
  EXPECT_THAT(estimated_by(returns_with_a_factor(20, 6, 1), "arithmetic", "sample").advice.at(0).problem,
              HasSubstr("loose"));
  EXPECT_TRUE(std::isinf(
      condition_number(estimated_by(returns_with_a_factor(5, 6, 1), "arithmetic", "sample").estimate.covariance)));
  EXPECT_TRUE(std::isfinite(condition_number(
      estimated_by(returns_with_a_factor(5, 6, 1), "arithmetic", "scaled-identity").estimate.covariance)));
}

TEST(Estimators, TheConditionIsOfTheLargestEigenvalueToTheLeast) {
  EXPECT_NEAR(condition_number(Covariance::dense(Eigen::Vector4d(8, 2, 5, 3).asDiagonal())), 4, 1e-12);
  Eigen::Matrix2d s;
  s << 3, 1, 1, 3;  // eigenvalues 4 and 2
  EXPECT_NEAR(condition_number(Covariance::dense(s)), 2, 1e-12);
}

TEST(Methods, AreReadAsTheyAreWritten) {
  for (const char* text :
       {"arithmetic", "geometric", "exponential:36", "bayes-stein", "market-model", "implied", "views"}) {
    EXPECT_EQ(ExpectedMethod::parse(text, "").text(), text);
  }
  EXPECT_EQ(ExpectedMethod::parse("exponential:36", "").half_life, 36);
  EXPECT_EQ(ExpectedMethod::parse("bayes-stein", "").half_life, 0) << "it has none";
  for (const char* text : {"sample", "exponential:24.5", "constant-correlation", "scaled-identity", "one-factor",
                           "nonlinear", "factors:3"}) {
    EXPECT_EQ(CovarianceMethod::parse(text, "").text(), text);
  }
  const auto complaint = [](const char* text) {
    return message_of([&] { CovarianceMethod::parse(text, "--covariance"); });
  };
  EXPECT_THAT(complaint("nonliner"),
              HasSubstr("--covariance: there is no method 'nonliner'. Did you mean 'nonlinear'?"));
  EXPECT_THAT(complaint("exponential"), HasSubstr("needs a figure. Write it like exponential:36"));
  EXPECT_THAT(complaint("exponential:0"), HasSubstr("'0' is not a positive number. Give a half-life in periods"));
  EXPECT_THAT(complaint("sample:3"), HasSubstr("takes no figure"));
  EXPECT_THAT(complaint("factors:2.5"), HasSubstr("not a whole number of factors"));
}

}  // namespace
}  // namespace inchtide::estimators
