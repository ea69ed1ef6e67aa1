#include "inchtide/exchange/prices.hpp"

#include "inchtide/exchange/store.hpp"

namespace inchtide::exchange {

std::vector<PriceHistory> read_prices(const std::filesystem::path& path, const PriceReading& reading) {
  return PriceStore::is_store(path) ? PriceStore::read_histories(path, reading) : read_price_files(path, reading);
}

std::vector<BarHistory> read_bars(const std::filesystem::path& path, const PriceReading& reading) {
  return PriceStore::is_store(path) ? PriceStore::read_all(path, reading) : read_bar_files(path, reading);
}

}  // namespace inchtide::exchange
