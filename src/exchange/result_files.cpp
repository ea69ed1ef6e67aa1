#include "inchtide/exchange/result_files.hpp"

#include <fmt/format.h>

#include <limits>

#include "fields.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide::exchange {
namespace {

using nlohmann::json;

constexpr const char* what_to_give = "Give a file that this library wrote";

/// An object, or a list of them, with messages that say which.
class Result {
 public:
  Result(const std::filesystem::path& path, const char* list, const char* command)
      : path_(path.string()), document_(read_json_file(path, what_to_give)) {
    const auto* result = document_.is_object() && document_.contains("result") ? &document_["result"] : nullptr;
    if (result == nullptr || !result->is_object() || !result->contains(list) || !(*result)[list].is_array()) {
      throw InputError(Where::in_file(path_), fmt::format("it holds no {}", list),
                       fmt::format("Give the JSON of {}", command));
    }
    objects_ = &(*result)[list];
    result_ = result;
  }

  const json& objects() const { return *objects_; }
  /// Of the whole result.
  Fields whole() const { return fields(*result_); }
  Fields fields(const json& object) const {
    if (!object.is_object()) throw InputError(Where::in_file(path_), "something in it is no object", what_to_give);
    return {path_, object};
  }
  Fields inputs() const {
    if (!document_.contains("inputs")) throw InputError(Where::in_file(path_), "it has no inputs", what_to_give);
    return fields(document_["inputs"]);
  }

 private:
  std::string path_;
  json document_;
  const json *objects_ = nullptr, *result_ = nullptr;
};

std::vector<std::string> texts(const Fields& fields, const std::string& field) {
  std::vector<std::string> list;
  fields.maybe(field, list);
  return list;
}

Day day_in(const Fields& fields, const std::string& field) {
  std::optional<Day> day;
  fields.maybe_day(field, day);
  if (!day) throw fields.error(field, "it is missing", what_to_give);
  return *day;
}

void maybe_figure(const Fields& fields, const std::string& field, std::optional<double>& target) {
  if (const auto* value = fields.find(field)) target = fields.number(field, *value);
}

void figure(const Fields& fields, const std::string& field, double& target) {
  if (const auto* value = fields.find(field)) target = fields.number(field, *value);
}

/// One figure for each asset from an object by code; 0 for those it leaves out.
Eigen::VectorXd by_asset(const Fields& fields, const std::string& field, const std::vector<std::string>& assets) {
  const auto* object = fields.find(field);
  if (object == nullptr) return {};
  if (!object->is_object()) throw fields.error(field, "it is no object of figures by asset", what_to_give);
  Eigen::VectorXd values = Eigen::VectorXd::Zero(Eigen::Index(assets.size()));
  for (const auto& [asset, value] : object->items()) {
    const auto position = find_name(asset, assets);
    if (!position) throw fields.error(field, fmt::format("'{}' is none of its assets", asset), what_to_give);
    values[Eigen::Index(*position)] = fields.number(field, value);
  }
  return values;
}

BindingLimit binding_in(const Fields& fields) {
  constexpr double none = std::numeric_limits<double>::infinity();
  BindingLimit limit;
  fields.maybe("limit", limit.limit);
  fields.maybe("rule", limit.text);
  limit.per_unit = fields.has("price_per_unit");
  const std::string per = limit.per_unit ? "_per_unit" : "_per_point";
  maybe_figure(fields, "price" + per, limit.loosening);
  if (fields.has("raising" + per)) {  // null stands for no room
    limit.raising = limit.lowering = -none;
    maybe_figure(fields, "raising" + per, limit.raising);
    maybe_figure(fields, "lowering" + per, limit.lowering);
  } else if (limit.loosening) {
    limit.tightening = none;
    maybe_figure(fields, "tightening" + per, limit.tightening);
    if (limit.tightening == limit.loosening) limit.tightening.reset();  // the same on both sides unless said
  }
  return limit;
}

Certificate certificate_in(const Fields& fields) {
  Certificate certificate;
  figure(fields, "limit_violation", certificate.limit_violation);
  figure(fields, "stationarity", certificate.stationarity);
  figure(fields, "complementarity", certificate.complementarity);
  return certificate;
}

/// The objects of a list, each read by `read`.
template <typename Read>
auto all_in(const Result& result, const Fields& fields, const std::string& field, Read read) {
  std::vector<decltype(read(fields))> list;
  if (fields.find(field) == nullptr) return list;
  for (const auto& object : fields.list(field)) list.push_back(read(result.fields(object)));
  return list;
}

Allocation allocation_in(const Result& result, const Fields& fields, const std::vector<std::string>& assets) {
  Allocation a;
  a.assets = assets;
  fields.maybe("name", a.name);
  std::string aim;
  fields.maybe("aim", aim);
  if (aim != "given") a.aim = Aim::parse(aim, fields.where("aim"));
  a.weights = by_asset(fields, "weights", assets);
  if (a.weights.size() == 0) throw fields.error("weights", "it is missing", what_to_give);
  figure(fields, "expected_return", a.expected_return);
  figure(fields, "volatility", a.volatility);
  figure(fields, "sharpe", a.sharpe);
  maybe_figure(fields, "net_return", a.net_return);
  maybe_figure(fields, "net_sharpe", a.net_sharpe);
  figure(fields, "average_volatility", a.average_volatility);
  maybe_figure(fields, "tracking_error", a.tracking_error);
  maybe_figure(fields, "turnover", a.turnover);
  maybe_figure(fields, "trading_cost", a.trading_cost);
  a.risk_shares = by_asset(fields, "risk_shares", assets);
  a.binding = all_in(result, fields, "binding", binding_in);
  a.left_out = all_in(result, fields, "left_out", [](const Fields& one) {
    LeftOut out;
    one.maybe("asset", out.asset);
    figure(one, "expected_return", out.expected_return);
    maybe_figure(one, "would_need", out.would_need);
    return out;
  });
  a.violations = all_in(result, fields, "violations", [](const Fields& one) {
    Violation violation;
    one.maybe("limit", violation.limit);
    one.maybe("asset", violation.asset);
    figure(one, "by", violation.by);
    one.maybe("figure", violation.figure);
    return violation;
  });
  if (const auto* certificate = fields.find("certificate")) {
    a.certificate = certificate_in(result.fields(*certificate));
  }
  if (const auto* proven = fields.find("proven")) {
    if (!proven->is_boolean()) throw fields.error("proven", "it is neither true nor false", what_to_give);
    a.proven = proven->get<bool>();
  }
  a.notes = texts(fields, "notes");
  return a;
}

OrderCost costs_in(const Fields& fields) {
  OrderCost cost;
  figure(fields, "fee", cost.fee);
  figure(fields, "commission", cost.commission);
  figure(fields, "half_spread", cost.half_spread);
  figure(fields, "stamp_duty", cost.stamp_duty);
  figure(fields, "conversion", cost.conversion);
  figure(fields, "impact", cost.impact);
  figure(fields, "other", cost.other);
  return cost;
}

/// @param assets of the run: an asset that isn't among them is put behind
Order order_in(const Result& result, const Fields& fields, std::vector<std::string>& assets) {
  Order order;
  std::string code;
  fields.maybe("asset", code);
  const auto known = std::ranges::find(assets, code);
  order.asset = known - assets.begin();
  if (known == assets.end()) assets.push_back(code);
  figure(fields, "units", order.units);
  figure(fields, "price", order.price);
  figure(fields, "value", order.value);
  if (const auto* costs = fields.find("costs")) order.cost = costs_in(result.fields(*costs));
  return order;
}

Trade trade_in(const Result& result, const Fields& fields, std::vector<std::string>& assets) {
  Trade trade;
  trade.decided = day_in(fields, "decided");
  trade.traded = day_in(fields, "traded");
  std::string reason = "schedule";
  fields.maybe("reason", reason);
  trade.reason = reason == "withdrawal" ? Trade::Reason::withdrawal
                 : reason == "end"      ? Trade::Reason::end
                                        : Trade::Reason::schedule;
  figure(fields, "wealth_before", trade.wealth_before);
  figure(fields, "wealth_after", trade.wealth_after);
  figure(fields, "turnover", trade.turnover);
  figure(fields, "delay", trade.delay);
  trade.orders = all_in(result, fields, "orders", [&](const Fields& one) { return order_in(result, one, assets); });
  for (const auto& order : trade.orders) trade.cost += order.cost;
  trade.order_count = trade.orders.size();
  return trade;
}

SpanOfRun span_in(const Fields& fields) {
  SpanOfRun span;
  std::string in;
  fields.maybe("in", in);
  const auto day = parse_day(in.size() == 4 ? in + "-01-01" : in + "-01");
  if (!day) throw fields.error("in", fmt::format("'{}' is no year or month", in), what_to_give);
  const std::chrono::year_month_day date{*day};
  span.year = int(date.year());
  span.month = in.size() == 4 ? 0 : unsigned(date.month());
  figure(fields, "growth", span.growth);
  return span;
}

Event event_in(const Fields& fields) {
  Event event{};
  std::string kind;
  fields.maybe("event", kind);
  const auto known = event_named(kind);
  if (!known) throw fields.error("event", fmt::format("'{}' is no kind of event", kind), what_to_give);
  event.kind = *known;
  event.day = day_in(fields, "day");
  fields.maybe("asset", event.asset);
  figure(fields, "figure", event.figure);
  fields.maybe("words", event.words);
  return event;
}

/// What a run was like beside its growth and its risk.
void measures_in(const Result& result, const Fields& fields, Rehearsal& run) {
  figure(fields, "sharpe_error_correlated", run.sharpe_error_correlated);
  figure(fields, "sortino", run.sortino);
  maybe_figure(fields, "money_weighted", run.money_weighted.rate);
  const auto part = [&](const char* field, auto read) {
    if (const auto* object = fields.find(field)) read(result.fields(*object));
  };
  part("under_water", [&](const Fields& water) {
    water.maybe("days", run.under_water.days);
    if (run.under_water.days == 0) return;
    run.under_water.from = day_in(water, "from");
    run.under_water.to = day_in(water, "to");
    water.maybe("recovered", run.under_water.recovered);
  });
  part("best_month", [&](const Fields& span) { run.best_month = span_in(span); });
  part("worst_month", [&](const Fields& span) { run.worst_month = span_in(span); });
  part("best_year", [&](const Fields& span) { run.best_year = span_in(span); });
  part("worst_year", [&](const Fields& span) { run.worst_year = span_in(span); });
  part("shortfall", [&](const Fields& shortfall) {
    figure(shortfall, "delay", run.shortfall.delay);
    figure(shortfall, "costs", run.shortfall.costs);
  });
  part("cost_shares", [&](const Fields& shares) {
    run.cost_shares.trading = costs_in(shares);
    figure(shares, "charges", run.cost_shares.charges);
  });
  figure(fields, "custody", run.running.custody);
  figure(fields, "borrowing", run.running.borrowing);
  figure(fields, "interest", run.running.interest);
  figure(fields, "flows", run.running.flows);
  figure(fields, "mean_per_year", run.mean_per_year);
  figure(fields, "tracking_to_targets", run.tracking_to_targets);
  fields.maybe("marked", run.marked);
  run.log = all_in(result, fields, "log", event_in);
}

Rehearsal rehearsal_in(const Result& result, const Fields& fields, const std::vector<Day>& days) {
  Rehearsal run;
  run.days = days;
  fields.maybe("name", run.name);
  fields.maybe("schedule", run.schedule);
  fields.maybe("aim", run.aim);
  figure(fields, "growth", run.growth);
  figure(fields, "growth_per_year", run.growth_per_year);
  figure(fields, "rows_per_year", run.rows_per_year);
  figure(fields, "volatility", run.volatility);
  figure(fields, "sharpe", run.sharpe);
  figure(fields, "sharpe_error", run.sharpe_error);
  figure(fields, "max_drawdown", run.max_drawdown);
  run.max_drawdown_from = day_in(fields, "max_drawdown_from");
  run.max_drawdown_to = day_in(fields, "max_drawdown_to");
  figure(fields, "turnover_per_year", run.turnover_per_year);
  figure(fields, "turnover_after_first", run.turnover_after_first);
  figure(fields, "cost_per_year", run.cost_per_year);
  figure(fields, "costs_paid", run.costs_paid);
  fields.maybe("order_count", run.order_count);
  measures_in(result, fields, run);
  if (const auto* costs = fields.find("costs")) run.costs = costs_in(result.fields(*costs));
  run.trades = all_in(result, fields, "trades", [&](const Fields& one) { return trade_in(result, one, run.assets); });
  if (!fields.has("net") && !fields.has("gross")) return run;  // of many runs
  run.net = fields.vector("net");
  run.gross = fields.vector("gross");
  const auto rows = Eigen::Index(days.size());
  if (run.net.size() != rows || run.gross.size() != rows) {
    throw fields.error("net", fmt::format("{} and {} figures for {} days", run.net.size(), run.gross.size(), rows),
                       what_to_give);
  }
  return run;
}

/// A decision that was waiting, put with its run.
void add_pending(const Result& result, const Fields& fields, std::vector<Rehearsal>& runs) {
  std::string name;
  fields.maybe("run", name);
  const auto run = std::ranges::find(runs, name, &Rehearsal::name);
  if (run == runs.end()) throw fields.error("run", fmt::format("'{}' is none of its runs", name), what_to_give);
  PendingTrade pending{day_in(fields, "decided"), {}};
  auto& trade = pending.trade;
  trade.decided = trade.traded = pending.decided;
  if (fields.has("traded")) trade.traded = day_in(fields, "traded");
  trade.orders =
      all_in(result, fields, "orders", [&](const Fields& one) { return order_in(result, one, run->assets); });
  for (const auto& order : trade.orders) trade.cost += order.cost;
  trade.order_count = trade.orders.size();
  run->pending = std::move(pending);
}

}  // namespace

std::vector<Allocation> read_allocations(const std::filesystem::path& path) {
  const Result result(path, "portfolios", "weigh");
  const auto assets = texts(result.inputs(), "assets");
  std::vector<Allocation> all;
  for (const auto& object : result.objects()) all.push_back(allocation_in(result, result.fields(object), assets));
  return all;
}

std::vector<Rehearsal> read_rehearsals(const std::filesystem::path& path) {
  const Result result(path, "runs", "rehearse");
  std::vector<Day> days;
  for (const auto& day : texts(result.whole(), "days")) days.push_back(day_from(day, result.whole().where("days")));
  std::vector<Rehearsal> all;
  for (const auto& object : result.objects()) all.push_back(rehearsal_in(result, result.fields(object), days));
  if (result.whole().has("pending")) {
    for (const auto& object : result.whole().list("pending")) add_pending(result, result.fields(object), all);
  }
  return all;
}

}  // namespace inchtide::exchange
