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

#include "inchtide/exchange/provider.hpp"
#include "inchtide/exchange/tables_csv.hpp"
#include "inchtide/study/settings.hpp"
#include "inchtide/study/sources.hpp"

namespace inchtide {

/// What the file says: settings, and where to read what they are about. What it leaves out is empty, or as usual.
struct Mandate {
  Settings settings;

  std::optional<std::filesystem::path> prices, tags, rates, actions, current, implied_weights;
  std::vector<std::filesystem::path> given;  ///< files of weights to look at beside those that are chosen
  exchange::CsvStyle style;

  // For gathering
  std::optional<std::filesystem::path> store, identifiers;
  std::optional<std::string> provider, list;
  std::vector<exchange::Provider> providers;
};

/// @throws InputError naming file, line and key: bad TOML, an unknown key or table, a value of the wrong kind
[[nodiscard]] Mandate read_mandate(const std::filesystem::path& path);

/// Reads all that a study is made of: once, before its first step. In a folder one bad file, link or folder costs no
/// other; it is passed over.
/// @param threads files read at once; 0: one a processor
/// @throws InputError when no prices are named, and as the readers do
[[nodiscard]] Sources read_sources(const Mandate& mandate, int threads = 0);

/// The same without prices: tags and weights, which go with an estimate that is given.
[[nodiscard]] Sources read_sources_beside_an_estimate(const Mandate& mandate);

}  // namespace inchtide
