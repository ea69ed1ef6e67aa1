// Any bytes as CSV files of prices and of splits.

#include "inchtide/exchange/prices.hpp"
#include "inchtide/exchange/action_file.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "input.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto file = inchtide::fuzz::file_of(data, size);
  inchtide::fuzz::attempt([&] { (void)inchtide::exchange::read_bars(file); });
  inchtide::fuzz::attempt([&] { (void)inchtide::exchange::read_actions(file); });
  const inchtide::exchange::CsvStyle style{inchtide::exchange::CsvStyle::Dates::day_first,
                                           inchtide::exchange::CsvStyle::Decimal::comma};
  return inchtide::fuzz::attempt([&] { (void)inchtide::exchange::read_price_file(file, {style}).check("input"); });
}
