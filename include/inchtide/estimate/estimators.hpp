#pragma once
/// From returns to an estimate, by the methods that people choose between.
///
/// Expected returns (p periods per year, mean m over T periods, deviation s):
///
/// | name | figure per year |
/// | --- | --- |
/// | `arithmetic` | p m |
/// | `geometric` | (prod(1 + r))^(p/T) - 1; lower by about half the variance |
/// | `exponential:H` | p x the mean with weights that halve every H periods |
/// | `bayes-stein` | shrunk to the minimum-variance portfolio's mean [1] |
/// | `market-model` | risk-free + beta x premium of the benchmark |
/// | `implied` | risk-free + aversion x S w for given weights w: what would make them optimal |
/// | `views` | the implied ones moved by views [2] |
///
/// [1] Jorion 1986, Journal of Financial and Quantitative Analysis 21(3). [2] Black & Litterman 1992, Financial
/// Analysts Journal 48(5).
///
/// Covariances: `sample`, `exponential:H`, `constant-correlation`, `scaled-identity`, `one-factor`, `nonlinear` (see
/// shrinkage.hpp), `factors:K`.
///
/// The manager's own figures win over all of them, then caps; both are marked.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(6);
/// returns.returns.resize(6, 2);
/// returns.returns << 0.01, 0.02, -0.01, 0.01, 0.03, -0.02, 0.00, 0.01, 0.02, 0.02, -0.02, -0.01;
/// returns.spans = Eigen::MatrixXi::Ones(6, 2);
/// inchtide::EstimateOptions options;
/// options.covariance = inchtide::CovarianceMethod::parse("scaled-identity", "here");
/// const auto estimated = inchtide::estimate_by(returns, options);
/// assert(std::abs(estimated.estimate.expected_return[0] - 12 * 0.005) < 1e-15);
/// assert(estimated.covariance_intensity && *estimated.covariance_intensity >= 0);
/// @endcode

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/estimate/estimate.hpp"

namespace inchtide {

struct INCHTIDE_API ExpectedMethod {
  enum class Kind { arithmetic, geometric, exponential, bayes_stein, market_model, implied, views };
  Kind kind = Kind::arithmetic;
  double half_life = 0;  ///< periods, for exponential

  /// @throws InputError naming `where` for an unknown name (with the nearest) or a half-life that isn't positive
  [[nodiscard]] static ExpectedMethod parse(std::string_view text, const Where& where);
  [[nodiscard]] std::string text() const;
};

struct INCHTIDE_API CovarianceMethod {
  enum class Kind { sample, exponential, constant_correlation, scaled_identity, one_factor, nonlinear, factors };
  Kind kind = Kind::sample;
  double half_life = 0;  ///< periods, for exponential
  int factors = 0;       ///< for factors

  /// @throws InputError as above
  [[nodiscard]] static CovarianceMethod parse(std::string_view text, const Where& where);
  [[nodiscard]] std::string text() const;
};

/// A view: a portfolio (long and short positions by asset) and the return per year that it is expected to have, with a
/// confidence c from 0 (none) to 1 (certain): its doubt has (1 - c) / c times the variance that the covariance gives
/// it. The factor tau that others scale the covariance by cancels then, so there is none.
struct INCHTIDE_API View {
  std::string name;
  std::vector<std::pair<std::string, double>> positions;
  double expected_return = 0;
  double confidence = 0.5;

  /// Reads `KELPFARM = 8%`, `GALEWORK - TIDEMILL = 2%`, `50% TIDEMILL + 50% GALEWORK - KELPFARM = 4%`,
  /// `2 * HOLLBANK - HOLLBOND = 3%`; quotes protect a code with other characters. @throws InputError naming the view
  [[nodiscard]] static View parse(std::string_view text, const std::string& name, double confidence);
};

struct INCHTIDE_API EstimateOptions {
  ExpectedMethod expected;
  CovarianceMethod covariance;
  Denominator denominator = Denominator::sample;
  double risk_free = 0;             ///< fraction per year
  std::optional<double> premium;    ///< of the benchmark over the risk-free rate, per year; its own mean without it
  double risk_aversion = 3;         ///< for implied returns: return per year asked for a unit of variance
  Eigen::VectorXd implied_weights;  ///< N, for implied returns and views; equal weights when empty
  std::vector<View> views;
  std::map<std::string, double> own, caps;  ///< by asset code in lower case: expected returns per year
};

/// What an estimate says of itself.
struct INCHTIDE_API Estimated {
  Estimate estimate;
  Eigen::VectorXd standard_errors;             ///< of the arithmetic means per year, p s / sqrt(T), N
  Eigen::VectorXd sample_means;                ///< arithmetic, per year, before any method, N
  std::optional<double> expected_intensity;    ///< of Bayes-Stein
  std::optional<double> covariance_intensity;  ///< of linear shrinkage
  std::optional<double> factor_share;          ///< of all variance, for factors
  std::vector<std::string> own, capped;        ///< assets whose expected return is the manager's
  std::vector<Notice> advice;                  ///< e.g. about too few returns
};

/// Estimates from returns.
/// @param benchmark the benchmark's returns on the same rows, for the market model; empty without one
/// @throws InputError when fewer than two common returns are left, the method needs more, the market model has no
///         benchmark, a view or an own figure names an asset that isn't there, or certain views contradict each other
[[nodiscard]] INCHTIDE_API Estimated estimate_by(const ReturnTable& returns, const EstimateOptions& options,
                                                 const Eigen::VectorXd& benchmark = {});

/// Largest over smallest eigenvalue of a covariance: how much a small change of its figures can change its inverse, and
/// so the weights. Infinite when it is singular.
[[nodiscard]] INCHTIDE_API double condition_number(const Covariance& covariance);

}  // namespace inchtide
