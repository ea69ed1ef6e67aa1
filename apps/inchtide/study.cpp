#include "study.hpp"

#include <fmt/format.h>

#include <chrono>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
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

Mandate mandate_of(const Options& options) {
  check_options(options);
  Mandate mandate;
  if (!options.mandate.empty()) mandate = read_mandate(options.mandate);
  for (const auto& one : declarations()) {
    const auto given = options.given.find(one.option);
    if (one.option.empty() || given == options.given.end()) continue;
    try {
      one.take(mandate, {given->second, {}, one.option, {}});
    } catch (const InputError& error) {
      const bool plain = one.takes == Takes::number || one.takes == Takes::whole || one.takes == Takes::word;
      if (plain) throw WrongUsage(error.notice());
      throw;
    }
  }
  mandate.settings.pairwise = options.pairwise;
  mandate.settings.show_current = options.show_current;
  check_outputs(options, mandate);
  check_that_all_act(options, mandate);
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
  if (options.estimate.empty()) return choice_of(load_study(options), day_option(options.text("--split"), "--split"));
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
    return [begin, patience = options.patience.value_or(usual_patience)] {
      return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() > patience;
    };
  });
}

int exit_code_of(const Portfolios& portfolios) {
  return portfolios.unanswered.empty() ? done : done_in_part;
}

}  // namespace inchtide::app
