#pragma once
/// The mandate: the manager's rules in one TOML file.
///
///     [universe]            prices, assets, tags, identifiers, benchmark, currency, rates, rate_carry, align,
///                           short_histories, drop_misprints, field, fields.CODE, actions, dates, decimal
///     [gather]              store, provider, list
///     [providers.NAME]      see provider.hpp
///     [estimate]            every, periods_per_year, from, to, last_period, risk_free, expected, covariance,
///     denominator, premium,
///                           risk_aversion, implied_weights, own.CODE, caps.CODE
///     [views.NAME]          says, confidence
///     [limits]              name = "KELPFARM <= 12%"
///     [costs.CLASS]         bps, or buy_bps and sell_bps; CLASS is all, an asset, or "sector:bonds"
///     [schedules.NAME]      check = "1m"
///     [rehearsal]           split, wealth, delay, aims
///
/// Paths are relative to the file. An unknown key is an error that names it and the nearest known one.

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/costs.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/exchange/provider.hpp"
#include "inchtide/exchange/tables_csv.hpp"
#include "inchtide/frontier/limits.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/schedule.hpp"
#include "inchtide/weights/aim.hpp"

namespace inchtide::exchange {

/// What the file says; what it leaves out is empty.
struct Mandate {
  std::optional<std::filesystem::path> prices, tags, identifiers, rates, actions, current;
  std::vector<std::string> assets;  ///< empty: all that have prices
  std::optional<std::string> benchmark, currency;
  std::optional<AlignPolicy> align;
  std::optional<ShortHistories> short_histories;
  bool drop_misprints = false;
  std::optional<int> rate_carry;  ///< calendar days
  FieldChoice fields;
  bool fields_chosen = false;  ///< the file names a field
  CsvStyle style;

  std::optional<std::filesystem::path> store;
  std::optional<std::string> provider, list;
  std::vector<Provider> providers;

  std::optional<Interval> every;
  std::optional<double> periods_per_year;  ///< as measured without it
  std::optional<Day> from, to;
  bool keep_last_period = false;    ///< use a last period that has not ended
  std::optional<double> risk_free;  ///< fraction per year
  ReturnKind returns = ReturnKind::simple;
  EstimateOptions methods;  ///< how to estimate; its risk-free rate and implied weights are filled in later
  std::optional<std::filesystem::path> implied_weights;

  Limits limits;
  std::vector<CostClass> costs;
  std::vector<Schedule> schedules;

  std::optional<Day> split;
  std::optional<double> wealth;
  std::optional<int> delay;
  std::vector<Aim> aims;
};

/// @throws InputError naming file, line and key: bad TOML, an unknown key or table, a value of the wrong kind
[[nodiscard]] Mandate read_mandate(const std::filesystem::path& path);

}  // namespace inchtide::exchange
