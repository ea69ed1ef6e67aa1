#include "inchtide/estimate/estimators.hpp"

#include <fmt/format.h>

#include <fmt/ranges.h>

#include <Eigen/Cholesky>
#include <Eigen/QR>
#include <algorithm>
#include <cctype>
#include <cmath>
#include <limits>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/estimate/shrinkage.hpp"
#include "returns/spans.hpp"

namespace inchtide {
namespace {

const std::vector<std::string> expected_names = {"arithmetic",   "geometric", "exponential", "bayes-stein",
                                                 "market-model", "implied",   "views"};
const std::vector<std::string> covariance_names = {
    "sample", "exponential", "constant-correlation", "scaled-identity", "one-factor", "nonlinear", "factors"};

/// `name:figure` taken apart.
struct Named {
  std::size_t kind;
  std::optional<double> figure;
};

Named parse_named(std::string_view text, const std::vector<std::string>& names, const Where& where) {
  const auto colon = text.find(':');
  const auto name = text.substr(0, colon);
  const auto found = find_name(name, names);
  if (!found) {
    throw InputError(where, fmt::format("there is no method '{}'", name), did_you_mean(name, names));
  }
  const bool takes = names[*found] == "exponential" || names[*found] == "factors";
  if (takes != (colon != std::string_view::npos)) {
    throw InputError(where, fmt::format("'{}' {}", text, takes ? "needs a figure" : "takes no figure"),
                     takes ? fmt::format("Write it like {}:{}", names[*found], names[*found] == "factors" ? 3 : 36)
                           : "Leave it out");
  }
  if (!takes) return {*found, std::nullopt};
  const auto figure = parse_number(text.substr(colon + 1));
  if (!figure || !(*figure > 0)) {
    throw InputError(where, fmt::format("'{}' is not a positive number", text.substr(colon + 1)),
                     names[*found] == "factors" ? "Give a number of factors" : "Give a half-life in periods");
  }
  return {*found, figure};
}

/// Complete rows. Where some span several periods, as if each spanned one: see Spans.
struct Data {
  Eigen::MatrixXd picked;          // the rows used, where that isn't all of them as they are
  const Eigen::MatrixXd* returns;  // T x N: these, or the table's own
  Eigen::VectorXd benchmark;       // T, or empty
  std::vector<std::size_t> rows;
  double p;
  Spans spans;

  double count() const { return double(rows.size()); }
};

Data complete(const ReturnTable& table, const Eigen::VectorXd& benchmark) {
  const auto common = table.common_rows();
  Data data{{}, &table.returns, {}, common, table.periods_per_year, Spans(table, {})};
  if (benchmark.size() > 0) {
    std::erase_if(data.rows, [&](std::size_t row) { return !std::isfinite(benchmark[Eigen::Index(row)]); });
  }
  if (data.rows.size() < 2) {
    throw InputError("estimate",
                     fmt::format("{} return common to all assets is too few for a variance", data.rows.size()),
                     {{Means::prices, "Give a longer history"},
                      {Means::interval, "take a shorter interval"},
                      {Means::assets, "look at fewer assets"}});
  }
  data.spans = Spans(table, data.rows);
  if (data.rows.size() < table.observations() || !data.spans.single) {
    data.picked = data.spans.as_single(table.returns(data.rows, Eigen::all));
    data.returns = nullptr;
  }
  if (benchmark.size() > 0) data.benchmark = data.spans.as_single(benchmark(data.rows));
  return data;
}

/// No figure that a manager gives is missing or without end.
void check_figures(const EstimateOptions& options) {
  constexpr double least = std::numeric_limits<double>::min(), most = std::numeric_limits<double>::max();
  finite(options.risk_free, "risk-free rate");
  if (options.premium) finite(*options.premium, "premium");
  finite(options.risk_aversion, "risk aversion");
  check_per_asset(options.implied_weights, options.implied_weights.size(), "weights for implied returns");
  if (options.expected.kind == ExpectedMethod::Kind::exponential) {
    within(options.expected.half_life, least, most, "half-life of the expected returns");
  }
  if (options.covariance.kind == CovarianceMethod::Kind::exponential) {
    within(options.covariance.half_life, least, most, "half-life of the covariance");
  }
  for (const auto& view : options.views) {
    const auto where = "view " + view.name;
    finite(view.expected_return, where);
    for (const auto& [asset, part] : view.positions) finite(part, where + ", " + asset);
  }
  for (const auto* figures : {&options.own, &options.caps}) {
    for (const auto& [asset, figure] : *figures) finite(figure, asset);
  }
}

/// Means by weights that add up to 1, and what is left around them; the rounding of the mean is corrected.
struct Demeaned {
  Eigen::RowVectorXd mean;
  Eigen::MatrixXd rest;
};

/// The mean of each column, and sums of products around it.
struct Moments {
  Eigen::RowVectorXd mean;
  Eigen::MatrixXd products;  // times a factor
};

/// One pass over the returns, some rows at a time, around a first guess of the means: those of the first rows. What the
/// guess missed is taken off at the end, a small part of the whole, so that no digits are lost.
Moments moments_of_columns(const Eigen::MatrixXd& returns, double factor) {
  constexpr Eigen::Index most = 768;
  const auto n = returns.cols();
  const double count = double(returns.rows());
  Eigen::MatrixXd rest(std::min(most, returns.rows()), n);
  Moments moments{Eigen::RowVectorXd(n), Eigen::MatrixXd::Zero(n, n)};
  Eigen::RowVectorXd guess(n);
  Eigen::VectorXd missed = Eigen::VectorXd::Zero(n);  // sums of what is left around the guess
  for (Eigen::Index first = 0; first < returns.rows(); first += most) {
    if (const auto rows = std::min(most, returns.rows() - first); rows < rest.rows()) rest.resize(rows, n);
    for (Eigen::Index i = 0; i < n; ++i) {  // a column at a time, while it is in the cache
      const auto part = returns.col(i).segment(first, rest.rows()).array();
      if (first == 0) guess[i] = part.mean();
      rest.col(i) = part - guess[i];
      missed[i] += rest.col(i).sum();
    }
    blas::add_gram(rest, factor, moments.products);
  }
  moments.mean = guess + missed.transpose() / count;
  for (Eigen::Index i = 0; i < n; ++i) {
    moments.products.col(i).tail(n - i) -= (factor * missed[i] / count) * missed.tail(n - i);
    moments.products(i, i) = std::max(0.0, moments.products(i, i));  // of an asset that never moves
  }
  blas::mirror_lower(moments.products);
  return moments;
}

Demeaned demean(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights) {
  Demeaned result{Eigen::RowVectorXd(returns.cols()), Eigen::MatrixXd(returns.rows(), returns.cols())};
  for (Eigen::Index i = 0; i < result.rest.cols(); ++i) {  // a column at a time, while it is in the cache
    auto column = result.rest.col(i);
    const double mean = weights.dot(returns.col(i));
    column = returns.col(i).array() - mean;
    const double rounding = weights.dot(column);
    column.array() -= rounding;
    result.mean[i] = mean + rounding;
  }
  return result;
}

/// Weights that halve every `half_life` rows back from the last, adding up to 1.
Eigen::VectorXd halving_weights(Eigen::Index count, double half_life) {
  Eigen::VectorXd weights(count);
  for (Eigen::Index t = 0; t < count; ++t) weights[t] = std::exp2(-double(count - 1 - t) / half_life);
  return weights / weights.sum();
}

/// The same of returns over k periods each, where sum w k = 1: r - k m is left.
Demeaned demean_spans(const Eigen::MatrixXd& returns, const Eigen::VectorXd& weights, const Eigen::VectorXd& k) {
  Demeaned result{weights.transpose() * returns, returns};
  result.rest -= k * result.mean;
  return result;
}

Eigen::VectorXd equal_weights(Eigen::Index count) {
  return Eigen::VectorXd::Constant(count, 1 / double(count));
}

/// Solves S x = b for a positive definite S.
Eigen::MatrixXd solved(const Eigen::MatrixXd& s, const Eigen::MatrixXd& b, const char* method) {
  const Eigen::LDLT<Eigen::MatrixXd> factor(s);
  const double least = factor.vectorD().minCoeff(), most = factor.vectorD().maxCoeff();
  if (factor.info() != Eigen::Success || !(least > 1e-13 * most)) {
    throw InputError(method, "the covariance is singular, and this method needs its inverse",
                     "Give a longer history or fewer assets, or shrink the covariance");
  }
  return factor.solve(b);
}

class Estimation {
 public:
  /// @param table at common ends
  Estimation(const ReturnTable& table, const EstimateOptions& options, const Eigen::VectorXd& benchmark)
      : table_(table),
        options_(options),
        data_(complete(table,
                       options.expected.kind == ExpectedMethod::Kind::market_model ? benchmark : Eigen::VectorXd())) {
    if (table.kind == ReturnKind::log) check_for_log();
  }

  Estimated result() {
    Estimated result;
    auto& estimate = result.estimate;
    estimate.assets = table_.assets;
    estimate.returns = table_.kind;
    estimate.denominator = options_.denominator;
    estimate.periods_per_year = data_.p;
    estimate.observations = data_.rows.size();
    estimate.rows_dropped = table_.observations() - data_.rows.size();
    const auto first = data_.rows.front();
    estimate.from = first == 0 ? table_.start : table_.days[first - 1];
    estimate.long_spans = std::size_t((data_.spans.k.array() > 1).count());
    estimate.to = table_.days[data_.rows.back()];
    estimate.risk_free = options_.risk_free;
    auto moments = moments_of_columns(returns(), data_.p / degrees());
    sample_ = std::move(moments.products);
    mean_ = moments.mean.transpose();
    result.sample_means = data_.p * mean_;
    const Eigen::VectorXd variance = sample_.diagonal() * (degrees() / (data_.count() - 1));  // T-1, per year
    result.standard_errors = (variance * (data_.p / data_.spans.total)).cwiseSqrt();
    estimate.covariance = covariance(result);
    estimate.expected_return = expected(result);
    take_own_figures(result);
    advise(result);
    return result;
  }

 private:
  /// All the returns around their means: made when a method asks for it.
  const Eigen::MatrixXd& rest() const {
    if (rest_.size() == 0) rest_ = demean(returns(), equal_weights(returns().rows())).rest;
    return rest_;
  }
  const Eigen::MatrixXd& returns() const { return data_.returns != nullptr ? *data_.returns : data_.picked; }
  /// Of rows that span one period each, or stand for such: T - 1, or what makes a population's divisor K of it.
  double degrees() const {
    const auto& spans = data_.spans;
    return (data_.count() - 1) * (spans.divisor(options_.denominator) / spans.degrees());
  }

  /// These formulas hold for simple returns.
  void check_for_log() const {
    using Kind = ExpectedMethod::Kind;
    const auto kind = options_.expected.kind;
    if (kind == Kind::arithmetic || kind == Kind::exponential || kind == Kind::bayes_stein) return;
    throw InputError(options_.expected.text(), "this method is for simple returns; the returns are log",
                     {{Means::expected_return, "Choose arithmetic, exponential or bayes-stein"},
                      {Means::returns_kind, "take simple returns", "simple"}});
  }

  /// The manager's figures are simple returns a year; an estimate of log returns takes the mean that comes to the same.
  double in_kind(double figure, const std::string& asset, double variance) const {
    if (table_.kind == ReturnKind::simple) return figure;
    if (!(figure > -1))
      throw InputError(Where::of_asset(asset), "a loss of everything has no log return", "Give more than -100%");
    return std::log1p(figure) - variance / 2;
  }

  Covariance covariance(Estimated& result) {
    using Kind = CovarianceMethod::Kind;
    const auto& method = options_.covariance;
    const auto shrunk = [&](const Shrunk& by) {
      result.covariance_intensity = by.intensity;
      return Covariance::known_semidefinite(data_.p * by.matrix);
    };
    switch (method.kind) {
      case Kind::sample: return Covariance::known_semidefinite(std::move(sample_));
      case Kind::exponential: return Covariance::known_semidefinite(exponential(method.half_life));
      case Kind::constant_correlation: return shrunk(shrink_to_constant_correlation(rest(), degrees()));
      case Kind::scaled_identity: return shrunk(shrink_to_scaled_identity(rest(), degrees()));
      case Kind::one_factor: return shrunk(shrink_to_one_factor(rest(), degrees()));
      case Kind::nonlinear: {  // the formula divides by T - 1
        const double scale = data_.p * (data_.count() - 1) / degrees();
        return Covariance::known_semidefinite(scale * nonlinear_shrinkage(rest()));
      }
      case Kind::factors: break;
    }
    auto factors = principal_factors(sample_, method.factors);
    result.factor_share = factors.share;
    return Covariance::factors(std::move(factors.loadings), Eigen::MatrixXd::Identity(method.factors, method.factors),
                               std::move(factors.specific_variance));
  }

  /// Weights that halve every so many periods, such that sum w k = 1, with the returns as they are.
  Eigen::VectorXd halving(double half_life) const {
    const auto& k = data_.spans.k;
    if (data_.spans.single) return halving_weights(k.size(), half_life);
    Eigen::VectorXd weights(k.size());
    for (Eigen::Index t = 0; t < k.size(); ++t) {
      const long ago = table_.end(data_.rows.back()) - table_.end(data_.rows[std::size_t(t)]);
      weights[t] = std::exp2(-double(ago) / half_life);
    }
    return weights / weights.dot(k);
  }

  Eigen::MatrixXd as_they_are() const {
    return data_.spans.single ? returns() : Eigen::MatrixXd(table_.returns(data_.rows, Eigen::all));
  }

  /// How many equal weights would pin the covariance down as well.
  double effective(const Eigen::VectorXd& weights) const {
    const auto& k = data_.spans.k;
    return std::pow(weights.dot(k), 2) / weights.cwiseProduct(k).squaredNorm() * (k.sum() / double(k.size()));
  }

  /// sum w (r - k m)(r - k m)' with weights that halve and sum w k = 1; for a sample over 1 - 2 sum w^2 k^2 + sum w k^2
  /// sum w^2 k (1 - sum w^2 where each spans one), which corrects the bias of the mean.
  Eigen::MatrixXd exponential(double half_life) const {
    const auto weights = halving(half_life);
    const auto& k = data_.spans.k;
    auto around = data_.spans.single ? demean(returns(), weights) : demean_spans(as_they_are(), weights, k);
    around.rest = weights.cwiseSqrt().asDiagonal() * around.rest;
    const Eigen::VectorXd squares = weights.cwiseAbs2();
    const double bias = 2 * squares.dot(k.cwiseAbs2()) - weights.dot(k.cwiseAbs2()) * squares.dot(k);
    const double left = options_.denominator == Denominator::sample ? 1 - bias : 1;
    if (!(left > 1e-9)) {
      throw InputError("covariance", fmt::format("a half-life of {} periods leaves one return to go by", half_life),
                       "Give a longer one");
    }
    return data_.p * blas::gram(around.rest, 1 / left);
  }

  Eigen::VectorXd expected(Estimated& result) const {
    using Kind = ExpectedMethod::Kind;
    const double p = data_.p;
    switch (options_.expected.kind) {
      case Kind::arithmetic: return result.sample_means;
      case Kind::geometric:
        return ((1 + as_they_are().array()).log().colwise().sum() * (p / data_.spans.total)).exp().transpose() - 1;
      case Kind::exponential: return p * as_they_are().transpose() * halving(options_.expected.half_life);
      case Kind::bayes_stein: return bayes_stein(result);
      case Kind::market_model: return market_model();
      case Kind::implied: return implied(result.estimate.covariance);
      case Kind::views: return with_views(result.estimate.covariance);
    }
    return result.sample_means;
  }

  /// (1 - w) m + w m0 with m0 the mean of the minimum-variance portfolio and
  /// w = (N + 2) / (N + 2 + T (m - m0)' V^-1 (m - m0)), V = (T - 1)/(T - N - 2) S, per period.
  Eigen::VectorXd bayes_stein(Estimated& result) const {
    const double n = double(returns().cols()), t = data_.count();
    if (t <= n + 2) {
      throw InputError("bayes-stein", fmt::format("{:.0f} returns for {:.0f} assets are too few", t, n),
                       fmt::format("Give at least {:.0f} returns, or fewer assets", n + 3));
    }
    const auto& mean = mean_;
    const Eigen::VectorXd ones = Eigen::VectorXd::Ones(mean.size());
    const Eigen::MatrixXd v = blas::gram(rest(), 1 / (t - n - 2));  // (T-1)/(T-N-2) of the sample covariance
    const Eigen::VectorXd inverse_ones = solved(v, ones, "bayes-stein");
    const double common = inverse_ones.dot(mean) / inverse_ones.sum();
    const Eigen::VectorXd apart = mean.array() - common;
    const double distance = apart.dot(solved(v, apart, "bayes-stein").col(0));
    const double w = (n + 2) / (n + 2 + data_.spans.total * distance);
    result.expected_intensity = w;
    return data_.p * ((1 - w) * mean.array() + w * common);
  }

  Eigen::VectorXd market_model() const {
    if (data_.benchmark.size() == 0) {
      throw InputError("market-model", "there is no benchmark",
                       {{Means::benchmark, "Name one"}, {Means::expected_return, "choose another method"}});
    }
    const auto market = demean(data_.benchmark, equal_weights(data_.benchmark.size()));
    const double variance = market.rest.squaredNorm();
    if (!(variance > 0)) throw InputError("market-model", "the benchmark never moves", "Choose another benchmark");
    const Eigen::VectorXd beta = rest().transpose() * market.rest.col(0) / variance;
    const double premium = options_.premium.value_or(data_.p * market.mean[0] - options_.risk_free);
    return options_.risk_free + (premium * beta).array();
  }

  Eigen::VectorXd implied_weights() const {
    const auto n = returns().cols();
    if (options_.implied_weights.size() == 0) return equal_weights(n);
    if (options_.implied_weights.size() != n) {
      throw InputError("implied", fmt::format("{} weights for {} assets", options_.implied_weights.size(), n),
                       "Give one an asset");
    }
    return options_.implied_weights;
  }

  Eigen::VectorXd implied(const Covariance& covariance) const {
    return options_.risk_free + (options_.risk_aversion * covariance.product(implied_weights())).array();
  }

  /// E = pi + S P' (P S P' + W)^-1 (q - P pi), W diagonal with (1 - c)/c times the variance of each view. (With doubts
  /// that are multiples of it the usual factor tau of S cancels.)
  Eigen::VectorXd with_views(const Covariance& covariance) const {
    const Eigen::VectorXd prior = implied(covariance);
    if (options_.views.empty()) {
      throw InputError("views", "there are none",
                       {{Means::views, "Give some"}, {Means::expected_return, "choose implied"}});
    }
    std::vector<const View*> views;
    Eigen::MatrixXd positions(prior.size(), Eigen::Index(options_.views.size()));  // P'
    for (const auto& view : options_.views) {
      positions.col(Eigen::Index(views.size())) = positions_of(view);
      if (view.confidence == 1 && follows_from_others(view, views, positions, covariance)) continue;
      views.push_back(&view);
    }
    const auto k = Eigen::Index(views.size());
    positions.conservativeResize(Eigen::NoChange, k);
    Eigen::VectorXd said(k), doubt(k);
    for (Eigen::Index v = 0; v < k; ++v) {
      const auto& view = *views[std::size_t(v)];
      said[v] = view.expected_return;
      doubt[v] = (1 - view.confidence) / view.confidence;
    }
    Eigen::MatrixXd moved(prior.size(), k);  // S P'
    for (Eigen::Index v = 0; v < k; ++v) moved.col(v) = covariance.product(positions.col(v));
    Eigen::MatrixXd spread = positions.transpose() * moved;
    for (Eigen::Index v = 0; v < k; ++v) {
      if (spread(v, v) > 1e-14 * covariance.variances().maxCoeff() * positions.col(v).squaredNorm()) continue;
      throw InputError(fmt::format("view {}", views[std::size_t(v)]->name), "what it speaks of has no risk to move it",
                       "Give the asset's return as your own figure instead");
    }
    spread.diagonal() += spread.diagonal().cwiseProduct(doubt);
    return prior + moved * solved(spread, said - positions.transpose() * prior, "views");
  }

  Eigen::VectorXd positions_of(const View& view) const {
    Eigen::VectorXd positions = Eigen::VectorXd::Zero(returns().cols());
    for (const auto& [asset, amount] : view.positions) {
      const auto found = find_name(asset, table_.assets);
      if (!found) {
        throw InputError(fmt::format("view {}", view.name), fmt::format("no asset has the code '{}'", asset),
                         did_you_mean(asset, table_.assets));
      }
      positions[Eigen::Index(*found)] += amount;
    }
    if (!(view.confidence > 0) || view.confidence > 1) {
      throw InputError(fmt::format("view {}", view.name), fmt::format("a confidence of {}", view.confidence),
                       "Give more than 0% and at most 100%");
    }
    if (positions.isZero(0)) {
      throw InputError(fmt::format("view {}", view.name), "its positions cancel out", "Name each asset once");
    }
    return positions;
  }

  /// True where certain views that came before say the same already. @throws InputError where they say otherwise
  bool follows_from_others(const View& view, const std::vector<const View*>& before, const Eigen::MatrixXd& positions,
                           const Covariance& covariance) const {
    std::vector<Eigen::Index> certain;
    for (std::size_t k = 0; k < before.size(); ++k) {
      if (before[k]->confidence == 1) certain.push_back(Eigen::Index(k));
    }
    const Eigen::VectorXd own = positions.col(Eigen::Index(before.size()));
    if (certain.empty()) return false;
    const Eigen::MatrixXd others = positions(Eigen::all, certain);
    const Eigen::VectorXd parts = others.colPivHouseholderQr().solve(own), rest = own - others * parts;
    const double risk = covariance.portfolio_variance(rest);
    if (rest.norm() > 1e-9 * own.norm() && risk > 1e-13 * covariance.portfolio_variance(own)) return false;
    double implied = 0;
    std::vector<std::string> names;
    for (std::size_t k = 0; k < certain.size(); ++k) {
      const auto& other = *before[std::size_t(certain[k])];
      implied += parts[Eigen::Index(k)] * other.expected_return;
      if (std::abs(parts[Eigen::Index(k)]) > 1e-9) names.push_back(other.name);
    }
    if (std::abs(implied - view.expected_return) <= 1e-12) return true;
    throw InputError(fmt::format("view {}", view.name),
                     fmt::format("it says {}, and {} with 100% confidence {} {}", short_percent(view.expected_return),
                                 fmt::join(names, " and "), names.size() == 1 ? "says" : "say", short_percent(implied)),
                     "They contradict each other: change one, or give them less confidence");
  }

  void take_own_figures(Estimated& result) const {
    auto& expected = result.estimate.expected_return;
    const auto position = [&](const std::string& asset) {
      const auto found = find_name(asset, table_.assets);
      if (!found) {
        throw InputError(Where::of_asset(asset), "an expected return is given, but no asset has this code",
                         did_you_mean(asset, table_.assets));
      }
      return *found;
    };
    for (const auto& [asset, figure] : options_.own) {
      const auto i = position(asset);
      expected[Eigen::Index(i)] =
          in_kind(figure, table_.assets[i], result.estimate.covariance.variance(Eigen::Index(i)));
      result.own.push_back(table_.assets[i]);
    }
    for (const auto& [asset, most] : options_.caps) {
      const auto i = position(asset);
      if (const auto own = options_.own.find(asset); own != options_.own.end() && own->second > most) {
        throw InputError(
            Where::of_asset(asset),
            fmt::format("its own figure {} is above its cap {}", short_percent(own->second), short_percent(most)),
            "Change one of them");
      }
      const double cap = in_kind(most, table_.assets[i], result.estimate.covariance.variance(Eigen::Index(i)));
      if (expected[Eigen::Index(i)] <= cap) continue;
      expected[Eigen::Index(i)] = cap;
      result.capped.push_back(table_.assets[i]);
    }
  }

  /// Weights that halve count fewer returns than there are.
  void advise_on_halving(Estimated& result, std::size_t n) const {
    const auto said = [&](const char* of, double half_life, double count) {
      result.advice.push_back(fmt::format(
          "Weights that halve every {:g} periods leave {:.1f} effective returns for the {}", half_life, count, of));
    };
    if (options_.expected.kind == ExpectedMethod::Kind::exponential) {
      said("expected returns", options_.expected.half_life, effective(halving(options_.expected.half_life)));
    }
    if (options_.covariance.kind != CovarianceMethod::Kind::exponential) return;
    const double count = effective(halving(options_.covariance.half_life));
    said("covariance", options_.covariance.half_life, count);
    if (count < 5 * double(n)) {
      result.advice.back().problem += fmt::format(", {:.1f} for each of {} assets: it is {}", count / double(n), n,
                                                  count <= double(n) ? "as good as singular" : "loose");
      result.advice.back().remedies = {{Means::covariance, "Use a longer half-life or a shrunk covariance"},
                                       {Means::assets, "fewer assets"}};
    }
  }

  void advise(Estimated& result) const {
    const auto n = std::size_t(returns().cols()), t = data_.rows.size();
    const bool plain = options_.covariance.kind == CovarianceMethod::Kind::sample;
    if (plain && t <= n) {
      result.advice.push_back(
          {{},
           fmt::format("{} returns for {} assets: the sample covariance is singular, and some portfolios seem riskless",
                       t, n),
           {{Means::prices, "Use a longer history"},
            {Means::interval, "a shorter interval"},
            {Means::assets, "fewer assets"},
            {Means::covariance, "shrink it: scaled-identity or nonlinear"}}});
    } else if (plain && t < 5 * n) {
      result.advice.push_back({{},
                               fmt::format("{} returns for {} assets, {:.1f} each: the sample covariance is loose", t,
                                           n, double(t) / double(n)),
                               {{Means::covariance, "Compare constant-correlation or nonlinear"}}});
    }
    advise_on_halving(result, n);
    for (Eigen::Index i = 0; i < result.standard_errors.size(); ++i) {
      if (result.standard_errors[i] > 1e-14) continue;
      result.advice.push_back(
          fmt::format("{} never moves over these returns, and counts as riskless", table_.assets[std::size_t(i)]));
    }
    // Shrinking toward a common variance or by eigenvalues doesn't know that a bond fund is calm.
    if (options_.covariance.kind != CovarianceMethod::Kind::exponential) {
      Eigen::Index moved = 0;
      const Eigen::ArrayXd volatility = result.estimate.volatilities();
      const Eigen::ArrayXd before = result.standard_errors.array() * std::sqrt(data_.spans.total / data_.p);
      const double most = (volatility / before.max(1e-300)).maxCoeff(&moved);
      if (most > 1.5 && before[moved] > 0) {
        result.advice.push_back(
            fmt::format("{} raises low volatilities, most of all {}'s from {} to {}: it suits assets of like risk",
                        options_.covariance.text(), table_.assets[std::size_t(moved)], percent_text(before[moved]),
                        percent_text(volatility[moved])));
      }
    }
    const Eigen::ArrayXd signal = result.sample_means.array().abs() / result.standard_errors.array().max(1e-300);
    const auto unsure = (signal < 2).count();
    if (unsure > 0 && options_.expected.kind == ExpectedMethod::Kind::arithmetic) {
      result.advice.push_back(fmt::format(
          "{} of {} means lie within two standard errors of zero: the history hardly says what to expect", unsure, n));
    }
  }

  const ReturnTable& table_;
  const EstimateOptions& options_;
  Data data_;
  Eigen::VectorXd mean_;  // per period
  mutable Eigen::MatrixXd rest_;
  Eigen::MatrixXd sample_;  // per year
};

}  // namespace

ExpectedMethod ExpectedMethod::parse(std::string_view text, const Where& where) {
  const auto named = parse_named(text, expected_names, where);
  return {Kind(named.kind), named.figure.value_or(0)};
}

std::string ExpectedMethod::text() const {
  const auto& name = expected_names[std::size_t(kind)];
  return kind == Kind::exponential ? fmt::format("{}:{:g}", name, half_life) : name;
}

CovarianceMethod CovarianceMethod::parse(std::string_view text, const Where& where) {
  const auto named = parse_named(text, covariance_names, where);
  CovarianceMethod method{Kind(named.kind)};
  if (method.kind == Kind::exponential) method.half_life = *named.figure;
  if (method.kind == Kind::factors) {
    method.factors = int(std::min(*named.figure, 1e6));
    if (double(method.factors) != *named.figure) {
      throw InputError(where, fmt::format("'{}' is not a whole number of factors", text), "Write it like factors:3");
    }
  }
  return method;
}

std::string CovarianceMethod::text() const {
  const auto& name = covariance_names[std::size_t(kind)];
  if (kind == Kind::exponential) return fmt::format("{}:{:g}", name, half_life);
  return kind == Kind::factors ? fmt::format("{}:{}", name, factors) : name;
}

namespace {

/// `50% TIDEMILL + 50% GALEWORK - KELPFARM`, term by term.
class ViewTerms {
 public:
  ViewTerms(std::string_view text, std::string where) : text_(text), where_(std::move(where)) {}

  std::vector<std::pair<std::string, double>> read() {
    std::vector<std::pair<std::string, double>> terms;
    for (skip_spaces(); at_ < text_.size(); skip_spaces()) {
      const double sign = take_sign(terms.empty());
      const double factor = take_factor();
      terms.emplace_back(take_code(), sign * factor);
    }
    if (terms.empty()) fail("it names no asset");
    return terms;
  }

 private:
  [[noreturn]] void fail(const std::string& problem) const {
    throw InputError(where_, fmt::format("'{}': {}", text_, problem),
                     "Write it like 'KELPFARM = 8%', 'GALEWORK - TIDEMILL = 2%' or '50% TIDEMILL + 2 * GALEWORK = 5%'");
  }
  void skip_spaces() {
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
  }

  double take_sign(bool first) {
    const char c = text_[at_];
    if (c != '+' && c != '-') {
      if (!first) fail(fmt::format("there is no + or - before '{}'", text_.substr(at_)));
      return 1;
    }
    ++at_;
    skip_spaces();
    return c == '-' ? -1 : 1;
  }

  /// `50%`, `2 *`, or 1 where there is neither.
  double take_factor() {
    auto end = at_;
    while (end < text_.size() && (std::isdigit(static_cast<unsigned char>(text_[end])) != 0 || text_[end] == '.'))
      ++end;
    const auto figure = parse_number(text_.substr(at_, end - at_));
    auto after = end;
    while (after < text_.size() && text_[after] == ' ') ++after;
    const bool marked = after < text_.size() && (text_[after] == '%' || text_[after] == '*');
    if (!figure || !marked) return 1;  // a code may begin with a figure
    at_ = after + 1;
    double factor = text_[after] == '%' ? *figure / 100 : *figure;
    skip_spaces();
    if (text_[after] == '%' && at_ < text_.size() && text_[at_] == '*') ++at_;
    skip_spaces();
    return factor;
  }

  std::string take_code() {
    if (at_ < text_.size() && text_[at_] == '\'') {
      const auto close = text_.find('\'', at_ + 1);
      if (close == std::string_view::npos) fail("a quote is not closed");
      const std::string code(text_.substr(at_ + 1, close - at_ - 1));
      at_ = close + 1;
      if (code.empty()) fail("a code is missing");
      return code;
    }
    const auto end = std::min(text_.find_first_of(" +-*%", at_), text_.size());
    const std::string code(text_.substr(at_, end - at_));
    if (code.empty()) fail("a code is missing");
    at_ = end;
    return code;
  }

  std::string_view text_;
  std::string where_;
  std::size_t at_ = 0;
};

}  // namespace

View View::parse(std::string_view text, const std::string& name, double confidence) {
  const auto where = fmt::format("view {}", name);
  const auto equals = text.find('=');
  if (equals == std::string_view::npos) {
    throw InputError(where, fmt::format("'{}': it has no '='", text),
                     "Write it like 'KELPFARM = 8%' or 'GALEWORK - TIDEMILL = 2%'");
  }
  View view{name, ViewTerms(text.substr(0, equals), where).read(), 0, confidence};
  view.expected_return = fraction_from_percent(text.substr(equals + 1), where);
  return view;
}

double condition_number(const Covariance& covariance) {
  const auto values = blas::eigen_symmetric(covariance.matrix()).values;
  const double least = values[0], most = values[values.size() - 1];
  return least > 1e-15 * most * double(values.size()) ? most / least : std::numeric_limits<double>::infinity();
}

Estimated estimate_by(const ReturnTable& returns, const EstimateOptions& options, const Eigen::VectorXd& benchmark) {
  returns.check_shape();
  check_figures(options);
  const bool plain = options.expected.kind == ExpectedMethod::Kind::arithmetic &&
                     options.covariance.kind == CovarianceMethod::Kind::sample && benchmark.size() == 0;
  if (plain && returns.is_dense()) {
    // A return that is no number shows in its covariance, which is refused. To look at each one first takes a fifth of
    // the time.
    try {
      return Estimation(returns, options, benchmark).result();
    } catch (const InputError&) {
      returns.check();
      throw;
    }
  }
  returns.check();
  if (benchmark.size() > 0) check_benchmark(returns, benchmark);
  // Beside a benchmark rows are not to move: those that all have are taken as they are.
  if (returns.is_dense() || benchmark.size() > 0) return Estimation(returns, options, benchmark).result();
  return Estimation(returns.at_common_ends(), options, benchmark).result();
}

}  // namespace inchtide
