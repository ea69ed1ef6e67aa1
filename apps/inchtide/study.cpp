#include "study.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/study/runs.hpp"
#include "watch.hpp"

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

/// The axes of a grid: what an option says beats what the mandate says of it.
void take_grid(Settings& settings, const Options& options) {
  if (!options.typed.contains("--grid")) return;
  const auto all = std::ranges::find(settings.grid, std::string(), &GridAxes::name);
  auto& axes = all != settings.grid.end() ? *all : settings.grid.emplace_back();
  const auto typed = [&](const char* option) { return options.typed.contains(option); };
  if (typed("--schedule")) axes.schedules.clear();
  if (typed("--aim")) axes.aims.clear();
  if (typed("--expected") || typed("--covariance")) axes.estimators.clear();
  if (typed("--window")) axes.windows.clear();
  if (typed("--delay")) axes.delays.clear();
  if (typed("--split")) axes.starts.clear();
  std::vector<std::string> axes_typed;
  for (const auto& text : options.grid) {
    if (text.empty()) continue;  // of the mandate
    const auto sign = text.find('=');
    if (sign == std::string::npos) {
      throw WrongUsage("--grid", fmt::format("'{}' is no axis with values", text), "Write it like schedule=1m,1q");
    }
    const auto axis = text.substr(0, sign);
    if (find_name(axis, axes_typed)) {
      throw WrongUsage("--grid", fmt::format("the axis {} is there twice", axis), "Give all its values in one list");
    }
    axes_typed.push_back(axis);
    std::vector<std::string> values;
    for (std::size_t begin = sign + 1; begin < text.size();) {
      const auto end = std::min(text.find(',', begin), text.size());
      if (end > begin) values.push_back(text.substr(begin, end - begin));
      begin = end + 1;
    }
    take_axis(settings, axes, axis, values, "--grid");
  }
}

}  // namespace

Mandate mandate_of(const Options& options) {
  check_options(options);
  Mandate mandate;
  if (options.live) {
    mandate = mandate_in(options.live->mandate, options.mandate);
  } else if (!options.mandate.empty()) {
    mandate = read_mandate(options.mandate);
  }
  for (const auto& one : declarations()) {
    const auto given = options.given.find(one.option);
    if (one.option.empty() || given == options.given.end()) continue;
    try {
      one.take(mandate, {given->second, {}, one.option, {}});
    } catch (const InputError& error) {
      const bool plain = one.takes == Takes::number || one.takes == Takes::amount || one.takes == Takes::whole ||
                         one.takes == Takes::word;
      if (plain) throw WrongUsage(error.notice());
      throw;
    }
  }
  take_grid(mandate.settings, options);
  mandate.settings.pairwise = options.pairwise;
  mandate.settings.show_current = options.show_current;
  check_outputs(options, mandate);
  check_that_all_act(options, mandate);
  return mandate;
}

Study load_study(const Options& options, Purpose purpose) {
  Study study;
  study.mandate = mandate_of(options);
  const auto load = [&] {
    Loaded loaded{read_sources(study.mandate, options.threads), {}};
    loaded.universe = universe_of(loaded.sources, study.settings(), purpose);
    loaded.sources.bars.clear();
    return loaded;
  };
  if (options.live) {
    const auto keys = keys_of(options.live->mandate, options.mandate);
    study.loaded = options.live->kept->loaded(fmt::format("{}\n{}", int(purpose), keys.universe), load);
    study.estimate_key = keys.estimate;
  } else {
    study.loaded = std::make_shared<const Loaded>(load());
  }
  if (study.sources().held && options.given.contains("--wealth")) {
    throw WrongUsage("--wealth", "it does nothing beside units and cash, which say what the wealth is",
                     Remedy("Leave it out, or give weights in place of units"));
  }
  study.from = {.mandate = options.mandate, .prices = study.mandate.prices->string(), .spelt = options.spelt};
  if (study.mandate.current) study.from.current = study.mandate.current->string();
  return study;
}

namespace {

Prepared prepared(Study study, Basis basis) {
  const std::shared_ptr<const Sources> sources(study.loaded, &study.loaded->sources);
  const std::shared_ptr<const Universe> universe(study.loaded, &study.loaded->universe);
  return {std::move(study.mandate.settings), sources, universe, std::move(basis), std::move(study.from)};
}

}  // namespace

Prepared prepare(Study study, std::optional<Day> before, Kept* kept) {
  study.from.split = before;
  const auto& settings = study.settings();
  if (kept == nullptr) {
    auto basis = basis_of(study.universe(), study.sources(), settings, before);
    return prepared(std::move(study), std::move(basis));
  }
  const auto estimated =
      kept->estimated(fmt::format("{}\n{}", before ? to_string(*before) : "", study.estimate_key),
                      [&] { return estimated_basis(study.universe(), study.sources(), settings, before); });
  auto basis = with_limits(*estimated, study.universe(), study.sources(), settings);
  return prepared(std::move(study), std::move(basis));
}

Prepared prepare_rehearsal(Study study) {
  study.from.split = split_of(study.settings());
  auto basis = basis_before_split(study.universe(), study.sources(), study.settings());
  return prepared(std::move(study), std::move(basis));
}

Prepared prepare(const Options& options) {
  if (options.estimate.empty()) {
    return prepare(load_study(options), day_option(options.text("--split"), "--split"),
                   options.live ? options.live->kept.get() : nullptr);
  }
  const auto mandate = mandate_of(options);
  auto sources = read_sources_beside_an_estimate(mandate);
  auto basis = basis_of(exchange::read_estimate(options.estimate), sources, mandate.settings);
  report::Background from{.mandate = options.mandate, .estimate = options.estimate, .spelt = options.spelt};
  if (mandate.current) from.current = mandate.current->string();
  return {mandate.settings, std::make_shared<const Sources>(std::move(sources)), nullptr, std::move(basis),
          std::move(from)};
}

StopCheck patience_of(const Options& options) {
  const auto begin = std::chrono::steady_clock::now();
  const auto stop = options.live ? options.live->stop : StopCheck();
  return [begin, stop, patience = options.patience.value_or(usual_patience)] {
    if (stop && stop()) return true;
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() > patience;
  };
}

Portfolios portfolios_of(const Prepared& prepared, const Options& options) {
  return inchtide::portfolios_of(prepared.basis, *prepared.sources, prepared.settings,
                                 [&options] { return patience_of(options); });
}

std::optional<BootstrapOptions> draws_of(const Options& options, int usual) {
  BootstrapOptions draws{options.draws.value_or(usual), options.block.value_or(0), options.seed.value_or(1)};
  if (draws.draws == 0) return std::nullopt;
  draws.threads = options.threads;
  draws.watch = watched(options);
  return draws;
}

std::pair<std::string, std::string> pair_of(const std::string& text, const char* option) {
  const auto colon = text.find(':');
  if (colon == std::string::npos) {
    throw InputError(option, fmt::format("'{}' names no second asset", text), "Write it like KELPFARM:TIDEMILL");
  }
  std::pair<std::string, std::string> pair(text.substr(0, colon), text.substr(colon + 1));
  if (same_name(pair.first, pair.second)) {
    throw InputError(option, fmt::format("'{}' is one asset", text), "Name two");
  }
  return pair;
}

}  // namespace inchtide::app
