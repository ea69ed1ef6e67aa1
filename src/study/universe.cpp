#include "inchtide/study/universe.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "study/window.hpp"

namespace inchtide {
namespace {

/// Builds a universe, step by step.
class Making {
 public:
  Making(const Sources& sources, const Settings& settings) : sources_(sources), settings_(settings) {
    universe_.tags = sources.tags;
    universe_.passed_over = sources.passed_over;
    universe_.rate_carry = settings.rate_carry;
    universe_.short_histories = settings.short_histories;
  }

  Universe make(Purpose purpose) {
    auto all = usable_histories();
    pick(all);
    work_actions_in(all);
    mark_misprints(all);
    settle_currency(all);
    sort_out(std::move(all));
    check_sorted();
    const auto policy = meet_short_histories();
    universe_.aligned = align(universe_.histories, policy, universe_.benchmark ? 1 : 0);
    take_bars();
    universe_.prices = window_of(universe_, settings_);
    warn_of_a_short_past();
    if (purpose == Purpose::within_day) universe_.every = {1, Unit::day};
    if (purpose == Purpose::looking) universe_.every = settings_.every.value_or(universe_.every);
    if (purpose == Purpose::returns) settle_interval(universe_, settings_);
    if (auto notice = notice_of_missing_rates(universe_, settings_)) universe_.warnings.push_back(std::move(*notice));
    if (auto notice = notice_of_the_window(universe_, settings_)) universe_.warnings.push_back(std::move(*notice));
    return std::move(universe_);
  }

  /// Returns across assets whose prices hold different things aren't comparable.
  static void warn_of_fields(Universe& universe, const Settings& settings);

 private:
  bool is_benchmark(const std::string& asset) const {
    return settings_.benchmark && same_name(asset, *settings_.benchmark);
  }

  bool is_asked_for(const std::string& asset) const {
    return is_benchmark(asset) || settings_.assets.empty() || find_name(asset, settings_.assets);
  }

  bool is_foreign(const PriceHistory& history) const {
    return !universe_.currency.empty() && !history.currency.empty() && !same_name(history.currency, universe_.currency);
  }

  /// The field of each asset that prices are made from; one that holds nothing of use is passed over.
  std::vector<PriceHistory> usable_histories() {
    std::vector<PriceHistory> histories;
    for (const auto& one : sources_.bars) {
      try {
        auto history = one.history(settings_.fields.pick(one.asset, one.fields_held()));
        if (history.days.size() < 2 && sources_.bars.size() > 1) {
          throw InputError(Where::of_asset(one.asset),
                           fmt::format("it holds a single price, on {}", to_string(history.days.front())),
                           "Give at least two days");
        }
        histories.push_back(std::move(history));
      } catch (const InputError& useless) {
        if (sources_.bars.size() == 1) throw;
        universe_.passed_over.emplace_back(one.asset, useless.notice());
      }
    }
    // What nobody asked for is not missed.
    std::erase_if(universe_.passed_over, [&](const auto& passed) { return !is_asked_for(passed.first); });
    if (histories.empty()) none_left();
    for (const auto& [asset, why] : universe_.passed_over) {
      universe_.warnings.push_back(why.led_by(asset + " is passed over"));
    }
    return histories;
  }

  [[noreturn]] void none_left() const {
    if (!universe_.passed_over.empty()) throw InputError(universe_.passed_over.front().second);
    throw InputError("assets", "none is left to look at",
                     {{Means::assets, "Ask for others"}, {Means::currency, "another currency"}});
  }

  /// Checks that all assets asked for have prices, and leaves the others out.
  void pick(std::vector<PriceHistory>& all) {
    for (const auto& history : all) codes_.push_back(history.asset);
    auto known = codes_;
    for (const auto& [asset, why] : universe_.passed_over) {
      known.push_back(asset);
      if (is_benchmark(asset)) throw InputError(why);
    }
    const auto check = [](const std::string& code, const std::vector<std::string>& codes, const Where& where) {
      if (!find_name(code, codes)) {
        throw InputError(where, fmt::format("no prices of '{}'", code), did_you_mean(code, codes));
      }
    };
    for (const auto& code : settings_.assets) check(code, known, "assets");
    if (settings_.benchmark) check(*settings_.benchmark, codes_, "benchmark");
    for (const auto& asset : sources_.tags.assets) {
      if (!find_name(asset, known)) known.push_back(asset);
    }
    for (const auto& [code, field] : settings_.fields.of_asset) check(code, known, "field of an asset");
    for (const auto& code : settings_.real_moves) check(code, known, "real moves");
    for (const auto& end : settings_.ends) check(end.asset, known, "end of an asset");
    for (const auto& code : known) {  // so that costs may name what this study leaves out
      if (find_name(code, universe_.tags.assets)) continue;
      universe_.tags.assets.push_back(code);
      universe_.tags.rows.emplace_back(universe_.tags.columns.size());
    }
    universe_.known = std::move(known);
    std::erase_if(all, [&](const PriceHistory& history) { return !is_asked_for(history.asset); });
  }

  /// An asset that the actions don't name had none.
  void work_actions_in(std::vector<PriceHistory>& all) {
    if (!sources_.actions) return;
    std::set<std::string> unknown;
    for (const auto& action : *sources_.actions) {
      if (!find_name(action.asset, codes_)) unknown.insert(action.asset);
    }
    if (!unknown.empty()) {
      universe_.warnings.push_back(
          {"actions", fmt::format("they name assets without prices: {}", fmt::join(unknown, ", "))});
    }
    for (auto& history : all) {
      if (history.field != PriceField::close && history.field != PriceField::price) continue;
      auto result = adjusted_by(history, *sources_.actions);
      history = result.history;
      universe_.adjusted.push_back(std::move(result));
    }
    if (universe_.adjusted.empty() && !sources_.actions->empty()) {
      universe_.warnings.push_back({"actions",
                                    "they change nothing: no price that is used is a raw close",
                                    {{Means::price_field, "Use raw closes", "close"}}});
    }
  }

  void mark_misprints(std::vector<PriceHistory>& all) {
    for (auto& history : all) {
      history.calendar = history.currency = universe_.tags.value(history.asset, "currency").value_or("");
      for (const auto& spike : settings_.drop_misprints ? drop_spikes(history) : find_spikes(history)) {
        universe_.misprints.emplace_back(history.asset, spike);
      }
    }
  }

  /// The base currency: as chosen, else the only one there is.
  void settle_currency(const std::vector<PriceHistory>& all) {
    std::set<std::string> seen;
    for (const auto& history : all) {
      if (!history.currency.empty()) seen.insert(history.currency);
    }
    if (!settings_.currency && seen.size() > 1) {
      throw InputError("currency", fmt::format("the tags name several: {}", fmt::join(seen, ", ")),
                       {Means::currency, "Choose the base one"});
    }
    universe_.currency = settings_.currency ? *settings_.currency : seen.empty() ? "" : *seen.begin();
    for (auto rate : sources_.rates.value_or(std::vector<RateHistory>{})) {
      if (rate.to.empty()) rate.to = universe_.currency;
      if (rate.to.empty()) {
        throw InputError(
            fmt::format("rates of {}", rate.from), "they name no second currency, and there is no base one",
            {{Means::rates, "Name a file of rates like MRD-HLC.csv"}, {Means::currency, "say the base currency"}});
      }
      if (same_name(rate.from, rate.to)) {
        throw InputError(fmt::format("rates of {}", rate.from),
                         "they are in the base currency if no second one is named, which is the same",
                         {{Means::rates, fmt::format("Name a file of rates like {}-HLC.csv", rate.from)},
                          {Means::currency, "choose another base currency"}});
      }
      universe_.rates.push_back(std::move(rate));
    }
  }

  /// Into the universe, the benchmark, and those left out for their currency.
  void sort_out(std::vector<PriceHistory> all) {
    std::optional<PriceHistory> benchmark;
    for (auto& history : all) {
      const bool compared_with = is_benchmark(history.asset);
      if (is_foreign(history)) {
        if (!sources_.rates && !compared_with) {
          universe_.left_out.push_back(fmt::format("{} ({})", history.asset, history.currency));
          continue;
        }
        universe_.conversions.push_back(convert(history, universe_.currency, universe_.rates, settings_.rate_carry));
        history = universe_.conversions.back().history;
      }
      if (compared_with) {
        benchmark = std::move(history);
      } else {
        universe_.histories.push_back(std::move(history));
      }
    }
    if (!benchmark) return;
    universe_.benchmark = benchmark->asset;
    benchmark_ = std::move(benchmark);
  }

  void check_sorted() {
    for (const auto& history : universe_.histories) {
      if (history.days.size() > 1) continue;
      throw InputError(Where::of_asset(history.asset),
                       fmt::format("it holds a single price, on {}", to_string(history.days.front())),
                       {"Give at least two days", {Means::assets, "leave the asset out"}});
    }
    if (universe_.histories.empty()) none_left();
    if (benchmark_) {
      if (find_name(benchmark_->asset, settings_.assets)) {
        universe_.warnings.push_back(fmt::format(
            "{} is the benchmark and is compared with, so it is taken from among the assets", benchmark_->asset));
      }
      universe_.histories.push_back(std::move(*benchmark_));
    }
    if (universe_.left_out.empty()) return;
    universe_.warnings.push_back(
        {{},
         fmt::format("Left out, because they are priced in another currency than {} and no rates were given: {}",
                     universe_.currency, fmt::join(universe_.left_out, ", ")),
         {{Means::rates, "Give rates"}}});
  }

  /// Leaves short histories out, keeps them with holes, or lets them shorten the window, as chosen.
  AlignPolicy meet_short_histories() {
    auto policy = settings_.align;
    const auto deciding = universe_.own_histories();
    if (short_histories(deciding).empty()) return policy;
    policy.keep_short_histories = settings_.short_histories == ShortHistories::keep;
    const auto [parts, brief] = short_in_window(deciding, settings_);
    if (brief.empty()) return policy;
    universe_.short_effects = effects_on_rows(parts.size() == deciding.size() ? parts : deciding, policy);
    if (settings_.short_histories != ShortHistories::leave_out) return policy;
    std::vector<std::string> gone;
    for (auto at = brief.rbegin(); at != brief.rend(); ++at) {
      gone.insert(gone.begin(), universe_.histories[*at].asset);
      universe_.histories.erase(universe_.histories.begin() + std::ptrdiff_t(*at));
    }
    if (universe_.own_histories().empty()) {
      throw InputError("short histories", "leaving them out leaves no asset",
                       {{Means::short_histories, "Let them shorten the window", "shorten"},
                        {Means::short_histories, "keep them", "keep"}});
    }
    universe_.warnings.push_back(
        fmt::format("Left out for their short histories, as chosen: {}", fmt::join(gone, ", ")));
    return policy;
  }

  void take_bars() {
    for (const auto& history : universe_.histories) {
      if (universe_.benchmark != history.asset) universe_.assets.push_back(history.asset);
      const auto found = std::ranges::find(sources_.bars, history.asset, &BarHistory::asset);
      if (found != sources_.bars.end()) universe_.bars.push_back(*found);
    }
  }

  void warn_of_a_short_past() {
    if (!settings_.last) return;
    const auto& days = universe_.aligned.table.days;
    if (settings_.last->before(days.back()) >= days.front() - std::chrono::days{7}) return;
    universe_.warnings.push_back(fmt::format("The last {} reach before {}, where the prices begin; all are used",
                                             settings_.last->text(), to_string(days.front())));
  }

  const Sources& sources_;
  const Settings& settings_;
  std::vector<std::string> codes_;  // of all that have prices
  std::optional<PriceHistory> benchmark_;
  Universe universe_;
};

void Making::warn_of_fields(Universe& universe, const Settings& settings) {
  std::map<PriceField, std::vector<std::string>> by_field;
  std::vector<std::string> stand_ins;
  for (const auto& asset : universe.prices.assets) {
    by_field[asset.field].push_back(asset.code);
    const auto wanted = settings.fields.wanted(asset.code);
    const bool adjusted =
        std::ranges::any_of(universe.adjusted, [&](const auto& a) { return a.history.asset == asset.code; });
    if (settings.fields_chosen && asset.field != wanted && !adjusted) {
      stand_ins.push_back(fmt::format("{} ({} for {})", asset.code, to_string(asset.field), to_string(wanted)));
    }
  }
  if (!stand_ins.empty()) {
    universe.warnings.push_back(
        fmt::format("Another field than the one chosen is used where that is missing: {}", fmt::join(stand_ins, ", ")));
  }
  if (by_field.size() < 2) return;
  std::vector<std::string> kinds;
  for (const auto& [field, assets] : by_field) {
    kinds.push_back(assets.size() > 6 ? fmt::format("{} of {} assets", to_string(field), assets.size())
                                      : fmt::format("{} of {}", to_string(field), fmt::join(assets, ", ")));
  }
  universe.warnings.push_back(
      fmt::format("Prices of different kinds meet: {}. Only adjusted closes have dividends and splits in them",
                  fmt::join(kinds, "; ")));
}

}  // namespace

PriceHistory Universe::in_currency(PriceHistory history) const {
  if (currency.empty() || history.currency.empty() || same_name(history.currency, currency)) return history;
  return convert(history, currency, rates, rate_carry).history;
}

std::vector<PriceHistory> Universe::own_histories() const {
  return {histories.begin(), histories.end() - (benchmark ? 1 : 0)};
}

Universe universe_of(const Sources& sources, const Settings& settings, Purpose purpose) {
  auto universe = Making(sources, settings).make(purpose);
  if (purpose != Purpose::looking) {
    auto findings = findings_of(universe, settings);
    const auto& days = universe.prices.days;
    std::erase_if(findings, [&](const Finding& one) {  // no figure hangs on what is outside the window
      const auto& day = one.notice.where.day;
      return day && (*day < days.front() || *day > days.back());
    });
    if (auto notice = notice_of(findings, settings)) {
      universe.warnings.push_back(std::move(*notice));
    }
  }
  Making::warn_of_fields(universe, settings);
  return universe;
}

}  // namespace inchtide
