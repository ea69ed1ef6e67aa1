#include <utility>
#include <variant>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/action_file.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/exchange/prices.hpp"
#include "inchtide/exchange/rate_files.hpp"
#include "inchtide/mandate/mandate.hpp"

namespace inchtide {
namespace {

void read_weights_of(const Mandate& mandate, Sources& sources) {
  if (mandate.current) {
    auto current = exchange::read_current(*mandate.current, mandate.style);
    if (auto* held = std::get_if<HoldingList>(&current)) {
      sources.held = std::move(*held);
    } else {
      sources.current = std::get<WeightList>(std::move(current));
    }
  }
  for (const auto& file : mandate.given) {
    for (auto& list : exchange::read_weights(file, mandate.style)) sources.given.push_back(std::move(list));
  }
}

}  // namespace

Sources read_sources(const Mandate& mandate, int threads) {
  if (!mandate.prices) {
    throw InputError("prices", "none were given",
                     {{Means::prices, "Give a file or folder of them"}, {Means::mandate, "a mandate that names one"}});
  }
  Sources sources;
  if (mandate.tags) sources.tags = exchange::read_tags(*mandate.tags, mandate.style);
  const exchange::PriceReading reading{mandate.style, mandate.settings.fields, {}, threads};
  std::error_code unknown;
  if (std::filesystem::is_directory(*mandate.prices, unknown)) {
    auto read = exchange::read_bars_listing_failures(*mandate.prices, reading);
    sources.bars = std::move(read.bars);
    sources.passed_over = std::move(read.failures);
  } else {
    sources.bars = exchange::read_bars(*mandate.prices, reading);
  }
  if (mandate.actions) sources.actions = exchange::read_actions(*mandate.actions, mandate.style);
  if (mandate.rates) sources.rates = exchange::read_rates(*mandate.rates, mandate.style);
  if (mandate.implied_weights)
    sources.implied = exchange::read_weights(*mandate.implied_weights, mandate.style).front();
  read_weights_of(mandate, sources);
  return sources;
}

Sources read_sources_beside_an_estimate(const Mandate& mandate) {
  Sources sources;
  if (mandate.tags) sources.tags = exchange::read_tags(*mandate.tags, mandate.style);
  read_weights_of(mandate, sources);
  return sources;
}

}  // namespace inchtide
