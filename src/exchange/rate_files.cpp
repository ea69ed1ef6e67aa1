#include "inchtide/exchange/rate_files.hpp"

#include "exchange/sheet_reader.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide::exchange {
namespace {

SheetLayout rate_columns(const std::filesystem::path& path, const std::vector<std::string>& header) {
  check_headings_differ(path, header);
  const auto date = find_column(header, {"date", "day"}), rate = find_column(header, {"rate"});
  if (!date || !rate) {
    throw InputError(Where::in_file(path.string(), 1),
                     fmt::format("no column {}: the header has {}", date ? "rate" : "date", fmt::join(header, ", ")),
                     "Name the columns 'date' and 'rate'");
  }
  return {*date, std::nullopt, {{*rate, PriceField::price}}, {path.stem().string()}};
}

}  // namespace

namespace fs = std::filesystem;

std::vector<RateHistory> read_rates(const fs::path& path, const CsvStyle& style) {
  std::vector<RateHistory> rates;
  for (const auto& file : csv_files(path)) {
    auto history =
        std::move(SheetReader(file, "rate", style)
                      .read(read_text_file(file), [&](const auto& header) { return rate_columns(file, header); })
                      .front());
    const auto dash = history.asset.find('-');
    const auto to = dash == std::string::npos ? std::string() : history.asset.substr(dash + 1);
    rates.push_back(
        {history.asset.substr(0, dash), to, std::move(history.days), std::move(history.of(PriceField::price))});
  }
  return rates;
}

}  // namespace inchtide::exchange
