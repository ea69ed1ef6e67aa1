#include "study.hpp"

#include <fmt/format.h>

#include <chrono>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/estimate_file.hpp"

namespace inchtide::app {

std::optional<Day> day_option(const std::string& text, const char* name) {
  if (text.empty()) return std::nullopt;
  return day_from(text, name);
}

PriceField field_of(const std::string& name, const char* option) {
  if (const auto field = field_named(name)) return *field;
  std::vector<std::string> names = {"adjusted"};
  for (std::size_t k = 0; k < price_fields; ++k) names.push_back(to_string(PriceField(k)));
  throw InputError(option, fmt::format("there is no field '{}'", name), did_you_mean(name, names));
}

namespace {

// `KELPFARM=6%`.
void take_own_figure(Settings& settings, const std::string& text) {
  const auto equals = text.find('=');
  if (equals == std::string::npos) {
    throw InputError("--own", fmt::format("'{}' names no figure", text), "Write it like KELPFARM=6%");
  }
  settings.methods.own[lower_name(text.substr(0, equals))] = fraction_from_percent(text.substr(equals + 1), "--own");
}

// `close`, or `KELPFARM=close` for one asset.
void choose_field(Settings& settings, const std::string& text) {
  const auto equals = text.find('=');
  const auto field = field_of(equals == std::string::npos ? text : text.substr(equals + 1), "--field");
  if (field == PriceField::volume) throw InputError("--field", "a volume is no price", "Give close or adjusted");
  settings.fields_chosen = true;
  if (equals == std::string::npos) {
    settings.fields.preferred = field;
  } else {
    settings.fields.of_asset[lower_name(text.substr(0, equals))] = field;
  }
}

void take_paths(Mandate& mandate, const Options& options) {
  if (!options.prices.empty()) mandate.prices = options.prices;
  if (!options.tags.empty()) mandate.tags = options.tags;
  if (!options.current.empty()) mandate.current = options.current;
  if (!options.rates.empty()) mandate.rates = options.rates;
  if (!options.actions.empty()) mandate.actions = options.actions;
  if (!options.identifiers.empty()) mandate.identifiers = options.identifiers;
  if (!options.store.empty()) mandate.store = options.store;
  if (!options.provider.empty()) mandate.provider = options.provider;
  if (!options.weights.empty()) mandate.given = {options.weights};
  if (!options.dates.empty()) mandate.style.dates = exchange::CsvStyle::parse_dates(options.dates, "--dates");
  if (!options.decimal.empty()) mandate.style.decimal = exchange::CsvStyle::parse_decimal(options.decimal, "--decimal");
}

void take_universe(Settings& settings, const Options& options) {
  if (!options.assets.empty()) settings.assets = options.assets;
  if (!options.benchmark.empty()) settings.benchmark = options.benchmark;
  if (!options.currency.empty()) settings.currency = options.currency;
  if (!options.align.empty()) settings.align = AlignPolicy::parse(options.align, "--align");
  if (!options.short_histories.empty()) {
    settings.short_histories = parse_short_histories(options.short_histories, "--short-histories");
  }
  settings.drop_misprints = settings.drop_misprints || options.drop_misprints;
  for (const auto& text : options.field) choose_field(settings, text);
  settings.strict = options.strict;
}

void take_window(Settings& settings, const Options& options) {
  if (!options.last.empty()) {
    settings.from.reset();
    settings.last = Interval::parse(options.last, "--last");
  }
  if (const auto day = day_option(options.from, "--from")) settings.from = day;
  if (const auto day = day_option(options.to, "--to")) settings.to = day;
  if (options.trading_days) settings.trading_days = std::size_t(*options.trading_days);
  if (const auto day = day_option(options.split, "--split")) settings.split = day;
}

void take_estimate(Settings& settings, const Options& options) {
  if (!options.every.empty()) settings.every = Interval::parse(options.every, "--every");
  if (options.periods_per_year) settings.periods_per_year = options.periods_per_year;
  if (!options.last_period.empty()) settings.keep_last_period = options.last_period == "keep";
  if (!options.returns.empty()) settings.returns = options.returns == "simple" ? ReturnKind::simple : ReturnKind::log;
  settings.pairwise = options.pairwise;
  auto& methods = settings.methods;
  if (!options.expected.empty()) methods.expected = ExpectedMethod::parse(options.expected, "--expected");
  if (!options.covariance.empty()) methods.covariance = CovarianceMethod::parse(options.covariance, "--covariance");
  if (!options.denominator.empty()) {
    methods.denominator = options.denominator == "sample" ? Denominator::sample : Denominator::population;
  }
  for (const auto& text : options.own) take_own_figure(settings, text);
  if (!options.risk_free.empty()) settings.risk_free = fraction_from_percent(options.risk_free, "--risk-free");
}

void take_choice(Settings& settings, const Options& options) {
  if (options.no_limits) settings.limits.clear();
  for (const auto& text : options.limits) settings.added_limits.push_back(Limit::parse(text));
  if (!options.aims.empty() || !options.weights.empty()) settings.aims.clear();
  for (const auto& aim : options.aims) settings.aims.push_back(Aim::parse(aim, "--aim"));
  settings.mixes = options.mixes;
  settings.show_current = options.show_current;
  settings.after_costs = options.after_costs;
  settings.borrowing = options.borrowing;
  settings.move_inside = options.move_inside;
  if (!options.round.empty()) settings.rounding = fraction_from_percent(options.round, "--round");
  if (!options.gap.empty()) settings.gap = fraction_from_percent(options.gap, "--gap");
  settings.horizon = options.horizon;
  if (!options.costs.empty()) settings.costs.clear();
  for (const auto& cost : options.costs) settings.costs.push_back(CostClass::parse(cost, "--cost"));
}

void take_rehearsal(Settings& settings, const Options& options) {
  if (options.wealth) settings.wealth = *options.wealth;
  if (options.delay) settings.delay = *options.delay;
  if (!options.schedules.empty()) settings.schedules.clear();
  for (const auto& schedule : options.schedules) settings.schedules.push_back(Schedule::parse(schedule, "--schedule"));
}

}  // namespace

Mandate mandate_of(const Options& options) {
  check_ranges(options);
  Mandate mandate;
  if (!options.mandate.empty()) mandate = read_mandate(options.mandate);
  take_paths(mandate, options);
  take_universe(mandate.settings, options);
  take_window(mandate.settings, options);
  take_estimate(mandate.settings, options);
  take_choice(mandate.settings, options);
  take_rehearsal(mandate.settings, options);
  check_outputs(options, mandate);
  return mandate;
}

report::Json Study::inputs() const {
  report::Json inputs;
  if (!options.mandate.empty()) inputs["mandate"] = options.mandate;
  inputs["prices"] = mandate.prices->string();
  inputs["assets"] = assets;
  inputs["benchmark"] = benchmark ? report::Json(*benchmark) : report::Json();
  inputs["left_out"] = left_out;
  if (!passed_over.empty()) {
    auto list = report::Json::array();
    for (const auto& [asset, why] : passed_over) list.push_back({{"asset", asset}, {"error", why.text(options.spelt)}});
    inputs["passed_over"] = list;
  }
  inputs["from"] = to_string(prices.days.front());
  inputs["to"] = to_string(prices.days.back());
  inputs["every"] = every.text();
  inputs["drop_misprints"] = settings().drop_misprints;
  inputs["align"] = settings().align.text();
  inputs["short_histories"] = to_string(short_histories);
  inputs["last_period"] = settings().keep_last_period ? "keep" : "drop";
  if (!currency.empty()) inputs["currency"] = currency;
  return inputs;
}

Study load_study(const Options& options, Purpose purpose) {
  Study study;
  study.options = options;
  study.mandate = mandate_of(options);
  study.sources = read_sources(study.mandate, options.threads);
  static_cast<Universe&>(study) = universe_of(study.sources, study.settings(), purpose);
  study.sources.bars.clear();
  return study;
}

StudyReturns returns_of(Study& study, std::optional<Day> before) {
  auto returns = study_returns(study, study.settings(), before);
  study.warnings.insert(study.warnings.end(), returns.warnings.begin(), returns.warnings.end());
  return returns;
}

namespace {

Choice finished(Basis basis, const Mandate& mandate, const Sources& sources, report::Json inputs) {
  Choice choice{std::move(basis), mandate.settings, sources, std::move(inputs)};
  if (mandate.current) choice.inputs["current"] = mandate.current->string();
  std::vector<std::string> texts;
  for (const auto& limit : choice.limits) texts.push_back(limit.text);
  choice.inputs["limits"] = texts;
  choice.inputs["risk_free"] = choice.risk_free;
  return choice;
}

}  // namespace

Choice choice_of(const Study& study, std::optional<Day> before) {
  auto inputs = study.inputs();
  if (before) inputs["split"] = to_string(*before);
  auto choice = finished(basis_of(study, study.sources, study.settings(), before), study.mandate, study.sources,
                         std::move(inputs));
  choice.warnings.insert(choice.warnings.begin(), study.warnings.begin(), study.warnings.end());
  choice.inputs["expected"] = choice.settings.methods.expected.text();
  choice.inputs["covariance"] = choice.settings.methods.covariance.text();
  return choice;
}

Choice load_choice(const Options& options) {
  if (options.estimate.empty()) return choice_of(load_study(options), day_option(options.split, "--split"));
  const auto mandate = mandate_of(options);
  const auto sources = read_sources_beside_an_estimate(mandate);
  auto estimate = exchange::read_estimate(options.estimate);
  report::Json inputs{{"estimate", options.estimate}};
  if (!options.mandate.empty()) inputs["mandate"] = options.mandate;
  inputs["assets"] = estimate.assets;
  return finished(basis_of(std::move(estimate), sources, mandate.settings), mandate, sources, std::move(inputs));
}

Portfolios portfolios_of(const Choice& choice, const Options& options) {
  return inchtide::portfolios_of(choice, choice.sources, choice.settings, [&options]() -> StopCheck {
    const auto begin = std::chrono::steady_clock::now();
    return [begin, patience = options.patience] {
      return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() > patience;
    };
  });
}

int exit_code_of(const Portfolios& portfolios) {
  return portfolios.unanswered.empty() ? done : done_in_part;
}

}  // namespace inchtide::app
