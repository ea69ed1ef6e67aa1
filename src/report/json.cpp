#include "json.hpp"

namespace inchtide::report {

Json rows_of(const Eigen::MatrixXd& matrix) {
  auto rows = Json::array();
  for (const auto& row : matrix.rowwise()) {
    auto cells = Json::array();
    for (double value : row) cells.push_back(finite_or_null(value));
    rows.push_back(std::move(cells));
  }
  return rows;
}

Json weights_json(const std::vector<std::string>& assets, const Eigen::VectorXd& weights) {
  auto object = Json::object();
  auto& members = object.get_ref<Json::object_t&>();  // assets have names of their own: none is looked for
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const double weight = weights[Eigen::Index(i)];
    if (weight != 0) members.emplace_back(assets[i], weight);
  }
  return object;
}

Json certificate_json(const Certificate& certificate) {
  return {{"limit_violation", certificate.limit_violation},
          {"stationarity", certificate.stationarity},
          {"complementarity", certificate.complementarity}};
}

Json estimate_json(const Estimate& e) {
  Json json{{"assets", e.assets}, {"expected_return", list_of(e.expected_return)}};
  if (e.covariance.is_dense()) {
    json["covariance"] = rows_of(e.covariance.matrix());
  } else {
    json["loadings"] = rows_of(e.covariance.loadings());
    json["factor_covariance"] = rows_of(e.covariance.factor_covariance());
    json["specific_variance"] = list_of(e.covariance.specific_variance());
  }
  json["returns"] = to_string(e.returns);
  json["denominator"] = e.denominator ? Json(to_string(*e.denominator)) : Json();
  json["periods_per_year"] = e.periods_per_year;
  json["observations"] = e.observations;
  json["from"] = or_null(e.from);
  json["to"] = or_null(e.to);
  json["risk_free"] = e.risk_free;
  return json;
}

namespace {

/// The number of the limit that sets something, null where none does.
Json number_json(int limit) {
  return limit >= 0 ? Json(limit) : Json();
}

Json numbers_json(const std::vector<int>& limits) {
  auto list = Json::array();
  for (const int limit : limits) list.push_back(number_json(limit));
  return list;
}

}  // namespace

Json bounds_json(const Bounds& bounds) {
  const auto ends = [&](const Eigen::VectorXd& values) {
    auto list = Json::array();
    for (double value : values) list.push_back(finite_or_null(value));
    return list;
  };
  const auto figure = [](const std::optional<LimitFigure>& f) { return f ? Json(f->value) : Json(); };
  auto limits = Json::array();
  for (const auto& limit : bounds.limits) limits.push_back({{"name", limit.name}, {"rule", limit.text}});
  auto rows = Json::array();
  for (const auto& row : bounds.rows) {
    rows.push_back({{"about", row.label},
                    {"limit", number_json(row.limit)},
                    {"coefficients", list_of(row.coefficients)},
                    {"bend", list_of(row.bend)},
                    {"bend_at", list_of(row.bend_at)},
                    {"constant", row.constant},
                    {"lower", finite_or_null(row.lower)},
                    {"upper", finite_or_null(row.upper)}});
  }
  Json json{{"limits", limits},
            {"lower", ends(bounds.lower)},
            {"upper", ends(bounds.upper)},
            {"lower_limit", numbers_json(bounds.lower_limit)},
            {"upper_limit", numbers_json(bounds.upper_limit)},
            {"budget", bounds.budget},
            {"rows", rows},
            {"volatility", figure(bounds.volatility)},
            {"tracking_error", figure(bounds.tracking_error)},
            {"holdings", figure(bounds.holdings)},
            {"held", figure(bounds.held)},
            {"costs", Json()}};
  if (bounds.costs) {
    const auto& costs = *bounds.costs;
    json["costs"] = {{"current", list_of(costs.current)},
                     {"buy", list_of(costs.rates.buy)},
                     {"sell", list_of(costs.rates.sell)},
                     {"years", costs.years}};
  }
  return json;
}

Json unsolved_json(const Problem& problem) {
  auto json = estimate_json(problem.estimate);
  json["bounds"] = bounds_json(problem.bounds);
  json["lambda"] = or_null(problem.lambda);
  return json;
}

}  // namespace inchtide::report
