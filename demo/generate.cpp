// Makes the demo data: the made-up world of the Skerry Lights Trust, its 16 holdings and their index.
//
//     demo-data FOLDER     writes prices/*.csv, rates/MRD.csv, tags.csv, identifiers.csv and actions.csv
//
// The histories come from common factors with changing volatility and fat tails, and a two-year crisis. The seed is
// fixed, and only + - * / and square roots are used, so that every machine writes the same bytes.

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <map>
#include <optional>
#include <random>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;
using std::chrono::sys_days;
using std::chrono::year;
using namespace std::chrono_literals;
using Day = sys_days;

constexpr double days_per_year = 250;

// ---- chance ---------------------------------------------------------------------------------------------------------

class Chance {
 public:
  explicit Chance(std::uint64_t seed) : bits_(seed) {}

  double uniform() { return double(bits_() >> 11) * 0x1p-53; }

  // The sum of twelve uniforms is near enough to normal, and needs no logarithm.
  double normal() {
    double sum = -6;
    for (int i = 0; i < 12; ++i) sum += uniform();
    return sum;
  }

  // Student's t with 5 degrees of freedom, scaled to variance 1.
  double fat_tailed() {
    double squares = 0;
    for (int i = 0; i < 5; ++i) {
      const double x = normal();
      squares += x * x;
    }
    return normal() / std::sqrt(squares / 3);
  }

 private:
  std::mt19937_64 bits_;
};

// ---- the calendar ---------------------------------------------------------------------------------------------------

enum class Exchange { hollin, marrow };

bool is_holiday(Exchange exchange, std::chrono::year_month_day day) {
  static const std::map<Exchange, std::vector<std::chrono::month_day>> holidays = {
      {Exchange::hollin,
       {std::chrono::January / 1, std::chrono::February / 12, std::chrono::May / 5, std::chrono::July / 9,
        std::chrono::December / 24, std::chrono::December / 25, std::chrono::December / 26}},
      {Exchange::marrow,
       {std::chrono::January / 1, std::chrono::January / 2, std::chrono::March / 20, std::chrono::April / 30,
        std::chrono::August / 15, std::chrono::November / 1, std::chrono::December / 25}}};
  for (const auto& holiday : holidays.at(exchange)) {
    if (holiday == day.month() / day.day()) return true;
  }
  return false;
}

std::vector<Day> weekdays() {
  std::vector<Day> days;
  for (Day day = 2018y / std::chrono::January / 1; day <= Day{2025y / std::chrono::December / 31};
       day += std::chrono::days{1}) {
    if (std::chrono::weekday{day}.iso_encoding() <= 5) days.push_back(day);
  }
  return days;
}

const Day crisis_from = 2023y / std::chrono::March / 1;
const Day crisis_turn = 2024y / std::chrono::May / 1;
const Day crisis_to = 2025y / std::chrono::February / 28;

// ---- the assets -----------------------------------------------------------------------------------------------------

struct Asset {
  std::string code, name, sector, currency, yield;
  std::string exchange_code, security_number;
  Exchange exchange = Exchange::hollin;
  double first_price = 100;
  double drift = 0.02;      // per year, beside what the factors bring
  double market = 1;        // sensitivity to the market
  double sector_share = 0;  // sensitivity to the sector's own factor
  double specific = 0.10;   // volatility of its own, per year
  double crisis_drift = 0;  // more drift per year while the market falls
  double crash_chance = 0;  // of a day with a fall of 8% beside the rest
  double volume = 40000;
};

std::vector<Asset> assets() {
  const auto hollin = Exchange::hollin, marrow = Exchange::marrow;
  return {
      {"TIDEMILL", "Tidemill Power", "power", "HLC", "3.4", "TDM", "410027", hollin, 62, 0.030, 0.55, 0.8, 0.07, 0, 0,
       52000},
      {"GALEWORK", "Galework Turbines", "power", "HLC", "1.1", "GLW", "410113", hollin, 41, 0.040, 0.70, 1.2, 0.10, 0,
       0, 47000},
      {"KELPFARM", "Farrow Kelp Farms", "food", "HLC", "2.6", "KLP", "410205", hollin, 28, 0.032, 0.35, 0.5, 0.06, 0, 0,
       21000},
      {"OYSTERCO", "Pellow Oyster Beds", "food", "HLC", "2.2", "OYS", "410311", hollin, 17, 0.025, 0.45, 0.8, 0.13, 0,
       0, 16000},
      {"FERRYLNK", "Sound Ferry Link", "transport", "HLC", "2.9", "FRY", "410404", hollin, 53, 0.012, 1.00, 0.4, 0.08,
       0, 0, 38000},
      {"DREDGECO", "Brack Dredging", "transport", "HLC", "1.8", "DRG", "410419", hollin, 34, 0.020, 0.90, 0.7, 0.15, 0,
       0, 18000},
      {"COLDQUAY", "Coldquay Storage", "property", "HLC", "4.1", "CQY", "410508", hollin, 88, 0.028, 0.60, 0.9, 0.07, 0,
       0, 24000},
      {"HARBREIT", "Old Harbour Estates", "property", "HLC", "3.7", "HBE", "410516", hollin, 105, 0.018, 0.70, 1.1,
       0.08, -0.04, 0, 27000},
      {"SALVAGER", "Lantern Salvage and Insurance", "finance", "HLC", "2.4", "LSI", "410602", hollin, 73, 0.055, 0.80,
       0.4, 0.09, 0, 0.003, 33000},
      {"HOLLBANK", "Hollin Savings Bank", "finance", "HLC", "3.9", "HSB", "410610", hollin, 46, 0.022, 1.40, 0.6, 0.09,
       -0.30, 0, 95000},
      {"BEACONET", "Beaconet Telecom", "network", "HLC", "0.0", "BCN", "410733", hollin, 120, 0.075, 1.05, 0.0, 0.18, 0,
       0, 61000},
      {"MARROWGL", "Marrow Glassworks", "abroad", "MRD", "1.9", "MGW", "720045", marrow, 210, 0.035, 0.50, 1.0, 0.11, 0,
       0, 15000},
      {"MARROWSH", "Marrow Shipyards", "abroad", "MRD", "2.7", "MSY", "720058", marrow, 95, 0.030, 0.55, 1.1, 0.14, 0,
       0, 22000},
      {"HOLLBOND", "Hollin long bonds fund", "bonds", "HLC", "2.8", "HLB", "410901", hollin, 99, 0.030, -0.06, 0.0,
       0.035, 0, 0, 70000},
      {"BILLFUND", "Hollin treasury bill fund", "bonds", "HLC", "1.9", "HTB", "410915", hollin, 100, 0.0185, 0, 0.0,
       0.0006, 0, 0, 120000},
      {"AMBERFND", "Amber and metals fund", "metals", "HLC", "0.0", "AMF", "410950", hollin, 58, 0.045, 0, 0.0, 0.14, 0,
       0, 19000},
      {"HOLLIN40", "Hollin 40 all-share index", "benchmark", "HLC", "", "H40", "410000", hollin, 1000, 0, 1, 0.0, 0, 0,
       0, 0},
  };
}

// ---- factors --------------------------------------------------------------------------------------------------------

struct Factors {
  std::vector<double> market;
  std::map<std::string, std::vector<double>> sector;
  std::vector<double> rate;  // MRD in HLC, a day's change
};

// What a day's drift has to be for the changes of these days to come to `whole` in all: by halves.
double drift_to(const std::vector<double>& shocks, std::size_t from, std::size_t to, double whole) {
  double low = -0.01, high = 0.01;
  for (int step = 0; step < 60; ++step) {
    const double drift = (low + high) / 2;
    double product = 1;
    for (auto t = from; t < to; ++t) product *= 1 + drift + shocks[t];
    (product < whole ? low : high) = drift;
  }
  return (low + high) / 2;
}

// The market rises by some 8% a year, falls by nearly a third in fourteen months, and has not quite come back at the
// end of the twenty after them.
void let_drift(std::vector<double>& market, const std::vector<Day>& days) {
  const auto january = [](int of_year) { return Day{year{of_year} / std::chrono::January / 1}; };
  const std::pair<Day, double> stretches[] = {{january(2018), 1.06}, {january(2019), 1.11}, {january(2020), 1.05},
                                              {january(2021), 1.09}, {january(2022), 1.07}, {crisis_from, 0.69},
                                              {crisis_turn, 1.16},   {january(2025), 1.19}};
  for (std::size_t k = 0; k < std::size(stretches); ++k) {
    const auto row_of = [&](Day day) {
      return std::size_t(std::lower_bound(days.begin(), days.end(), day) - days.begin());
    };
    const auto from = row_of(stretches[k].first);
    const auto to = k + 1 < std::size(stretches) ? row_of(stretches[k + 1].first) : days.size();
    const double drift = drift_to(market, from, to, stretches[k].second);
    for (auto t = from; t < to; ++t) market[t] += drift;
  }
}

// The market's volatility wanders: each day's variance keeps 90% of the day before, takes in 6% of its square, and is
// drawn to a level that doubles in the crisis. However fat the tails, no day moves it by more than 5%.
Factors draw_factors(const std::vector<Day>& days, Chance& chance) {
  Factors factors;
  const double calm = 0.115 * 0.115 / days_per_year, most = 0.05;
  double variance = calm;
  for (Day day : days) {
    const bool crisis = day >= crisis_from && day <= crisis_to;
    const double level = crisis ? 2.5 * calm : calm;
    const double shock = std::clamp(std::sqrt(variance) * chance.fat_tailed(), -most, most);
    factors.market.push_back(shock);
    variance = 0.04 * level + 0.90 * variance + 0.06 * shock * shock;
    for (const char* sector : {"power", "food", "transport", "property", "finance", "abroad"}) {
      factors.sector[sector].push_back(0.09 / std::sqrt(days_per_year) * chance.fat_tailed());
    }
    factors.rate.push_back(0.07 / std::sqrt(days_per_year) * chance.normal());
  }
  let_drift(factors.market, days);
  return factors;
}

// ---- histories ------------------------------------------------------------------------------------------------------

struct Row {
  Day day;
  double open, high, low, close, adjusted;
  long volume;
};

double in_thousandths(double price) {
  return double(long(price * 1000 + 0.5)) / 1000;
}

std::string text_of(Day day) {
  const std::chrono::year_month_day ymd{day};
  return fmt::format("{:04}-{:02}-{:02}", int(ymd.year()), unsigned(ymd.month()), unsigned(ymd.day()));
}

// One share's close, with the factor that later splits and dividends put on it; these go to `actions` as rows of a
// file.
std::vector<Row> history(const Asset& asset, const std::vector<Day>& days, const Factors& factors, Chance& chance,
                         std::string& actions) {
  const Day listed = asset.code == "BEACONET" ? Day{2020y / std::chrono::February / 3} : Day{};
  const Day split = 2024y / std::chrono::June / 17;
  const Day suspended_from = 2021y / std::chrono::September / 6, suspended_to = 2021y / std::chrono::September / 16;
  const Day misprint = 2021y / std::chrono::May / 18;

  std::vector<Row> rows;
  std::vector<double> factor_on_earlier;  // what the event of this row does to the adjusted closes before it
  double price = asset.first_price;
  std::optional<std::chrono::month> last_month;
  for (std::size_t t = 0; t < days.size(); ++t) {
    const Day day = days[t];
    const std::chrono::year_month_day ymd{day};
    const bool falling = day >= crisis_from && day < crisis_turn;
    double change = asset.drift / days_per_year + asset.market * factors.market[t];
    if (asset.sector_share != 0) change += asset.sector_share * factors.sector.at(asset.sector)[t];
    if (falling) change += asset.crisis_drift / days_per_year;
    change += asset.specific / std::sqrt(days_per_year) * chance.fat_tailed();
    if (chance.uniform() < asset.crash_chance) change -= 0.08;
    const double wiggle_open = chance.normal(), wiggle_high = chance.uniform(), wiggle_low = chance.uniform(),
                 wiggle_volume = chance.uniform();

    price *= 1 + change;
    if (is_holiday(asset.exchange, ymd) || day < listed) continue;
    if (asset.code == "DREDGECO" && day >= suspended_from && day <= suspended_to) continue;

    double event = 1;
    double volume_scale = 1;
    if (asset.code == "BEACONET" && day >= split) volume_scale = 2;
    if (asset.code == "BEACONET" && day >= split && rows.back().day < split) {
      price /= 2;
      event = 0.5;
      actions += fmt::format("{},{},2:1,\n", asset.code, text_of(day));
    }
    const bool quarter_begins = last_month && *last_month != ymd.month() && (unsigned(ymd.month()) - 1) % 3 == 0;
    if (asset.code == "COLDQUAY" && quarter_begins) {
      const double dividend = in_thousandths(0.0102 * rows.back().close);
      price -= dividend;
      event = 1 - dividend / rows.back().close;
      actions += fmt::format("{},{},,{:.3f}\n", asset.code, text_of(day), dividend);
    }
    last_month = ymd.month();

    const double spread = price * (0.002 + 0.4 * asset.specific / std::sqrt(days_per_year));
    Row row{day, 0, 0, 0, in_thousandths(price), 0, long(asset.volume * volume_scale * (0.5 + wiggle_volume))};
    row.open = in_thousandths(price + 0.4 * spread * wiggle_open);
    row.high = in_thousandths(std::max(row.open, row.close) + spread * wiggle_high);
    row.low = in_thousandths(std::min(row.open, row.close) - spread * wiggle_low);
    rows.push_back(row);
    factor_on_earlier.push_back(event);
  }
  double factor = 1;
  for (std::size_t i = rows.size(); i-- > 0;) {
    rows[i].adjusted = rows[i].close * factor;
    factor *= factor_on_earlier[i];
    if (asset.code == "OYSTERCO" && rows[i].day == misprint) {
      rows[i].close *= 10;
      rows[i].adjusted *= 10;
    }
  }
  return rows;
}

// ---- writing --------------------------------------------------------------------------------------------------------

void write(const fs::path& path, const std::string& text) {
  fs::create_directories(path.parent_path());
  std::ofstream file(path, std::ios::binary);
  file << text;
  if (!file.flush()) throw std::runtime_error(fmt::format("{} cannot be written", path.string()));
}

void write_world(const fs::path& folder) {
  const auto days = weekdays();
  Chance shared(20180101);
  const auto factors = draw_factors(days, shared);
  std::string tags = "code,name,sector,currency,yield\n", identifiers = "code,exchange_code,security_number\n";
  std::string actions = "asset,date,split,dividend\n";
  std::uint64_t seed = 4000;
  for (const auto& asset : assets()) {
    Chance own(++seed);
    std::string text = "date,open,high,low,close,adjusted_close,volume\n";
    for (const auto& row : history(asset, days, factors, own, actions)) {
      text += fmt::format("{},{:.3f},{:.3f},{:.3f},{:.3f},{:.4f},{}\n", text_of(row.day), row.open, row.high, row.low,
                          row.close, row.adjusted, row.volume);
    }
    write(folder / "prices" / (asset.code + ".csv"), text);
    tags += fmt::format("{},{},{},{},{}\n", asset.code, asset.name, asset.sector, asset.currency, asset.yield);
    identifiers += fmt::format("{},{},{}\n", asset.code, asset.exchange_code, asset.security_number);
  }
  std::string rates = "date,rate\n";
  double rate = 1.35;
  for (std::size_t t = 0; t < days.size(); ++t) {
    rate *= 1 + factors.rate[t];
    if (!is_holiday(Exchange::hollin, days[t])) rates += fmt::format("{},{:.5f}\n", text_of(days[t]), rate);
  }
  write(folder / "rates" / "MRD.csv", rates);
  write(folder / "tags.csv", tags);
  write(folder / "identifiers.csv", identifiers);
  write(folder / "actions.csv", actions);
}

}  // namespace

int main(int count, char** arguments) {
  if (count != 2) {
    std::cerr << "Usage: demo-data FOLDER\n";
    return 2;
  }
  try {
    write_world(arguments[1]);
  } catch (const std::exception& error) {
    std::cerr << "demo-data: " << error.what() << '\n';
    return 3;
  }
}
