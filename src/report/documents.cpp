#include "inchtide/report/documents.hpp"

#include <algorithm>
#include <cmath>

#include "inchtide/report/version.hpp"

namespace inchtide::report {
namespace {

Json list_of(const Eigen::VectorXd& values) {
  return Json(std::vector<double>(values.begin(), values.end()));
}

Json figures_json(const AssetFigures& f) {
  return {{"asset", f.asset},
          {"observations", f.observations},
          {"long_returns", f.long_returns},
          {"mean_arithmetic", f.mean_arithmetic},
          {"mean_geometric", f.mean_geometric},
          {"volatility", f.volatility},
          {"variance", f.variance},
          {"standard_error", f.standard_error},
          {"skewness", f.skewness},
          {"excess_kurtosis", f.excess_kurtosis},
          {"autocorrelation", f.autocorrelation},
          {"coefficient_of_variation", f.coefficient_of_variation ? Json(*f.coefficient_of_variation) : Json()},
          {"downside_deviation", f.downside_deviation},
          {"expected_shortfall", f.expected_shortfall},
          {"worst", f.worst},
          {"worst_day", to_string(f.worst_day)},
          {"best", f.best},
          {"best_day", to_string(f.best_day)},
          {"max_drawdown", f.max_drawdown},
          {"max_drawdown_from", to_string(f.max_drawdown_from)},
          {"max_drawdown_to", to_string(f.max_drawdown_to)}};
}

Json certificate_json(const Certificate& certificate) {
  return {{"limit_violation", certificate.limit_violation},
          {"stationarity", certificate.stationarity},
          {"complementarity", certificate.complementarity}};
}

Json portfolio_json(const Estimate& estimate, const Portfolio& portfolio, double risk_free) {
  Json object = {{"expected_return", whole_return(portfolio.expected_return, portfolio.weights.sum(), risk_free)},
                 {"volatility", portfolio.volatility}};
  object["sharpe"] = portfolio.volatility > 0 ? Json(portfolio.sharpe(risk_free)) : Json();
  object["lambda"] = portfolio.lambda;
  object["weights"] = weights_json(estimate.assets, portfolio.weights);
  object["certificate"] = certificate_json(portfolio.certificate);
  return object;
}

Json allocation_json(const Allocation& a) {
  auto binding = Json::array();
  for (const auto& limit : a.binding) {
    const std::string per = limit.per_unit ? "_per_unit" : "_per_point";
    const auto finite = [](const std::optional<double>& price) {  // null where there is no room
      return price && std::isfinite(*price) ? Json(*price) : Json();
    };
    binding.push_back({{"limit", limit.limit}, {"rule", limit.text}, {"price" + per, finite(limit.price)}});
    if (limit.raising) {
      binding.back()["raising" + per] = finite(limit.raising);
      binding.back()["lowering" + per] = finite(limit.lowering);
    } else {  // the same on both sides unless said
      binding.back()["tightening" + per] = finite(limit.tightening ? limit.tightening : limit.price);
    }
  }
  auto violations = Json::array();
  for (const auto& v : a.violations) violations.push_back({{"limit", v.limit}, {"asset", v.asset}, {"by", v.by}});
  auto left_out = Json::array();
  for (const auto& out : a.left_out) {
    left_out.push_back({{"asset", out.asset},
                        {"expected_return", out.expected_return},
                        {"would_need", out.would_need ? Json(*out.would_need) : Json()}});
  }
  const auto known = [](const std::optional<double>& figure) { return figure ? Json(*figure) : Json(); };
  return {{"name", a.name},
          {"aim", a.aim},
          {"weights", weights_json(a.assets, a.weights)},
          {"expected_return", a.expected_return},
          {"volatility", a.volatility},
          {"sharpe", a.volatility > 0 ? Json(a.sharpe) : Json()},
          {"net_return", known(a.net_return)},
          {"net_sharpe", known(a.net_sharpe)},
          {"average_volatility", a.average_volatility},
          {"diversification_benefit", a.diversification_benefit()},
          {"effective_holdings", a.effective_holdings()},
          {"tracking_error", known(a.tracking_error)},
          {"turnover", known(a.turnover)},
          {"trading_cost", known(a.trading_cost)},
          {"risk_shares", a.risk_shares.size() > 0 ? weights_json(a.assets, a.risk_shares) : Json()},
          {"binding", binding},
          {"left_out", left_out},
          {"violations", violations},
          {"certificate", a.certificate ? certificate_json(*a.certificate) : Json()},
          {"notes", a.notes}};
}

Json trade_json(const Trade& trade) {
  auto orders = Json::array();
  for (const auto& order : trade.orders) {
    orders.push_back({{"asset", order.asset},
                      {"units", order.units},
                      {"price", order.price},
                      {"value", order.value},
                      {"costs", {{"proportional", order.cost}}}});
  }
  return {{"decided", to_string(trade.decided)}, {"traded", to_string(trade.traded)}, {"orders", orders}};
}

Json run_json(const Rehearsal& run) {
  std::vector<std::string> days;
  for (Day day : run.days) days.push_back(to_string(day));
  auto trades = Json::array();
  for (const auto& trade : run.trades) trades.push_back(trade_json(trade));
  return {{"name", run.name},
          {"schedule", run.schedule},
          {"aim", run.aim},
          {"growth", run.growth},
          {"growth_per_year", run.growth_per_year},
          {"rows_per_year", run.rows_per_year},
          {"volatility", run.volatility},
          {"sharpe", run.volatility > 0 ? Json(run.sharpe) : Json()},
          {"max_drawdown", run.max_drawdown},
          {"max_drawdown_from", to_string(run.max_drawdown_from)},
          {"max_drawdown_to", to_string(run.max_drawdown_to)},
          {"turnover_per_year", run.turnover_per_year},
          {"cost_per_year", run.cost_per_year},
          {"costs_paid", run.costs_paid},
          {"order_count", run.order_count},
          {"trading_days", run.trades.size()},
          {"trades", trades},
          {"wealth", {{"days", days}, {"net", list_of(run.net)}, {"gross", list_of(run.gross)}}}};
}

}  // namespace

std::string document(const std::string& command, const Json& inputs, const std::vector<std::string>& warnings,
                     const Json& result) {
  const Json whole = {{"inchtide", version}, {"format", 1},          {"command", command},
                      {"inputs", inputs},    {"warnings", warnings}, {"result", result}};
  return whole.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

Json gather_result(const exchange::GatherReport& report, const SpeltMeans& spelt) {
  auto assets = Json::array();
  for (const auto& a : report.assets) {
    assets.push_back({{"asset", a.asset},
                      {"from", a.from ? Json(to_string(*a.from)) : Json()},
                      {"to", a.to ? Json(to_string(*a.to)) : Json()},
                      {"new", a.rows_new},
                      {"changed", a.changed},
                      {"unchanged", a.unchanged},
                      {"note", a.note.empty() ? Json() : Json(a.note)},
                      {"error", a.error ? Json(a.error->text(spelt)) : Json()}});
  }
  return {{"assets", assets}, {"interrupted", report.interrupted}};
}

Json inspect_result(const AlignedPrices& prices, const std::vector<Finding>& findings, const SpeltMeans& spelt) {
  auto assets = Json::array();
  for (std::size_t i = 0; i < prices.coverage.size(); ++i) {
    const auto& c = prices.coverage[i];
    const auto& priced = prices.table.assets[i];
    assets.push_back({{"asset", c.asset},
                      {"from", to_string(c.from)},
                      {"to", to_string(c.to)},
                      {"rows", c.rows},
                      {"holes", c.holes},
                      {"away", c.away},
                      {"filled", c.filled},
                      {"currency", priced.currency.empty() ? Json() : Json(priced.currency)},
                      {"field", to_string(priced.field)}});
  }
  auto found = Json::array();
  for (const auto& f : findings) {
    found.push_back({{"severity", to_string(f.severity)},
                     {"asset", f.notice.where.asset},
                     {"day", f.notice.where.day ? Json(to_string(*f.notice.where.day)) : Json()},
                     {"kind", f.kind},
                     {"detail", f.notice.problem},
                     {"remedy", text_of(f.notice.remedies, spelt)}});
  }
  return {{"assets", assets},
          {"common_days", prices.table.rows()},
          {"days_dropped", prices.days_dropped},
          {"from", to_string(prices.table.days.front())},
          {"to", to_string(prices.table.days.back())},
          {"findings", found}};
}

Json prices_on_json(const std::vector<PriceOnDay>& prices) {
  auto list = Json::array();
  for (const auto& p : prices) {
    list.push_back({{"asset", p.asset},
                    {"day", to_string(p.taken)},
                    {"price", p.price},
                    {"currency", p.currency},
                    {"field", to_string(p.field)}});
  }
  return list;
}

Json describe_result(const std::vector<AssetFigures>& assets, const AssetFigures* benchmark,
                     const std::vector<NamedHistogram>& histograms) {
  auto list = Json::array();
  for (const auto& figures : assets) list.push_back(figures_json(figures));
  const auto& first = assets.front();
  auto drawn = Json::array();
  for (const auto& [asset, histogram] : histograms) {
    drawn.push_back({{"asset", asset}, {"edges", histogram.edges}, {"counts", histogram.counts}});
  }
  return {{"assets", list},
          {"benchmark", benchmark != nullptr ? figures_json(*benchmark) : Json()},
          {"returns", to_string(first.kind)},
          {"denominator", to_string(first.denominator)},
          {"expected_shortfall_tail", first.tail},
          {"histograms", drawn}};
}

namespace {

Json rows_of(const Eigen::MatrixXd& matrix) {
  auto rows = Json::array();
  for (Eigen::Index i = 0; i < matrix.rows(); ++i) rows.push_back(list_of(matrix.row(i)));
  return rows;
}

/// The fields that an estimate file holds.
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
  json["denominator"] = e.denominator.empty() ? Json() : Json(e.denominator);
  json["periods_per_year"] = e.periods_per_year;
  json["observations"] = e.observations;
  json["from"] = e.from ? Json(to_string(*e.from)) : Json();
  json["to"] = e.to ? Json(to_string(*e.to)) : Json();
  json["risk_free"] = e.risk_free;
  return json;
}

Json bounds_json(const Bounds& bounds) {
  const auto end = [](double value) { return std::isfinite(value) ? Json(value) : Json(); };
  const auto ends = [&](const Eigen::VectorXd& values) {
    auto list = Json::array();
    for (double value : values) list.push_back(end(value));
    return list;
  };
  const auto figure = [](const std::optional<LimitFigure>& f) { return f ? Json(f->value) : Json(); };
  auto rows = Json::array();
  for (const auto& row : bounds.rows) {
    rows.push_back({{"about", row.label},
                    {"coefficients", list_of(row.coefficients)},
                    {"bend", list_of(row.bend)},
                    {"bend_at", list_of(row.bend_at)},
                    {"constant", row.constant},
                    {"lower", end(row.lower)},
                    {"upper", end(row.upper)}});
  }
  Json json{{"lower", ends(bounds.lower)},
            {"upper", ends(bounds.upper)},
            {"budget", bounds.budget},
            {"rows", rows},
            {"volatility", figure(bounds.volatility)},
            {"tracking_error", figure(bounds.tracking_error)},
            {"costs", Json()}};
  if (bounds.costs) {
    const auto& costs = *bounds.costs;
    json["costs"] = {{"current", list_of(costs.current)},
                     {"buy", list_of(costs.buy)},
                     {"sell", list_of(costs.sell)},
                     {"years", costs.years}};
  }
  return json;
}

}  // namespace

Json unsolved_result(const Problem& problem) {
  auto json = estimate_json(problem.estimate);
  json["bounds"] = bounds_json(problem.bounds);
  json["lambda"] = problem.lambda ? Json(*problem.lambda) : Json();
  return json;
}

Json estimate_result(const Estimated& estimated, const BootstrapBands* bands) {
  const auto maybe = [](const auto& value) { return value ? Json(*value) : Json(); };
  const auto& e = estimated.estimate;
  auto json = estimate_json(e);
  json["standard_errors"] = list_of(estimated.standard_errors);
  json["sample_means"] = list_of(estimated.sample_means);
  json["expected_intensity"] = maybe(estimated.expected_intensity);
  json["covariance_intensity"] = maybe(estimated.covariance_intensity);
  json["own"] = estimated.own;
  json["capped"] = estimated.capped;
  const double condition = condition_number(e.covariance);
  json["condition_number"] = std::isfinite(condition) ? Json(condition) : Json();
  if (bands != nullptr) {
    json["bands"] = {{"draws", bands->draws},
                     {"block", bands->block},
                     {"mean_low", list_of(bands->mean_low)},
                     {"mean_high", list_of(bands->mean_high)},
                     {"volatility_low", list_of(bands->volatility_low)},
                     {"volatility_high", list_of(bands->volatility_high)},
                     {"correlation_low", rows_of(bands->correlation_low)},
                     {"correlation_high", rows_of(bands->correlation_high)}};
  }
  return json;
}

Json weights_json(const std::vector<std::string>& assets, const Eigen::VectorXd& weights) {
  auto object = Json::object();
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const double weight = weights[Eigen::Index(i)];
    if (weight != 0) object[assets[i]] = weight;
  }
  return object;
}

Json frontier_result(const Frontier& frontier, double risk_free) {
  const auto& estimate = frontier.estimate();
  auto corners = Json::array();
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    const auto& corner = frontier.corners()[k];
    corners.push_back({{"expected_return", whole_return(corner.expected_return, frontier.bounds().budget, risk_free)},
                       {"volatility", corner.volatility},
                       {"lambda", corner.lambda_low},
                       {"weights", weights_json(estimate.assets, frontier.weights(k))}});
  }
  Json result = {{"corners", corners},
                 {"minimum_variance", portfolio_json(estimate, frontier.minimum_variance(), risk_free)},
                 {"maximum_sharpe", nullptr},
                 {"risk_free", risk_free},
                 {"observations", estimate.observations},
                 {"denominator", estimate.denominator.empty() ? Json() : Json(estimate.denominator)},
                 {"from", estimate.from ? Json(to_string(*estimate.from)) : Json()},
                 {"to", estimate.to ? Json(to_string(*estimate.to)) : Json()}};
  if (!frontier.why_no_maximum_sharpe(risk_free)) {
    const auto best = frontier.maximum_sharpe(risk_free);
    result["maximum_sharpe"] = portfolio_json(estimate, best.portfolio, risk_free);
    result["maximum_sharpe"]["at_highest_return"] = best.at_top;
  }
  return result;
}

Json weigh_result(const std::vector<Allocation>& portfolios, const std::vector<Unanswered>& unanswered,
                  const SpeltMeans& spelt) {
  auto list = Json::array(), failed = Json::array();
  for (const auto& portfolio : portfolios) list.push_back(allocation_json(portfolio));
  for (const auto& one : unanswered) {
    failed.push_back({{"name", one.name}, {"aim", one.aim}, {"reason", one.notice.text(spelt)}});
    if (one.problem) failed.back()["problem"] = unsolved_result(*one.problem);
  }
  return {{"portfolios", list}, {"unanswered", failed}};
}

Json rehearse_result(const std::vector<Rehearsal>& runs) {
  auto list = Json::array();
  for (const auto& run : runs) list.push_back(run_json(run));
  return {{"runs", list}};
}

}  // namespace inchtide::report
