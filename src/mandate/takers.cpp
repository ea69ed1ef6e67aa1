#include "mandate/takers.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <charconv>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide {

double number_in(const Given& given, double least, double most) {
  const auto& text = given.text();
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) {
    throw InputError(given.where, fmt::format("'{}' is not a number", excerpt(text)), "Give a number");
  }
  return within(value, least, most, given.where);
}

double money_in(const Given& given, double least, double most) {
  const std::string_view text = given.text();
  const char unit = text.empty() ? ' ' : char(text.back() | 0x20);
  const double times = unit == 'k' ? 1e3 : unit == 'm' ? 1e6 : 1;
  if (times == 1) return number_in(given, least, most);
  const auto value = parse_number(text.substr(0, text.size() - 1));
  if (!value) throw InputError(given.where, fmt::format("'{}' is no amount", excerpt(text)), "Write it like 40m");
  return within(*value * times, least, most, given.where);
}

double amount_in(const Given& given) {
  return money_in(given, 0, 1e15);
}

int whole_in(const Given& given, int least, int most) {
  const auto& text = given.text();
  std::int64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) {
    throw InputError(given.where, fmt::format("'{}' is not a whole number", excerpt(text)), "Give a whole number");
  }
  return whole_within(value, least, most, given.where);
}

bool yes_in(const Given& given) {
  return given.text() == "true";
}

double percent_in(const Given& given) {
  return fraction_from_percent(given.text(), given.where);
}

std::string code_in(const Given& given, const std::string& text) {
  check_name(text, longest_code, given.where);
  return text;
}

std::size_t choice_in(const Given& given, const std::vector<std::string>& words) {
  if (const auto found = find_name(given.text(), words)) return *found;
  throw InputError(given.where, fmt::format("there is no choice '{}'", excerpt(given.text())),
                   fmt::format("Give \"{}\"", fmt::join(words, "\" or \"")));
}

PriceField field_in(const Given& given, const std::string& text) {
  const auto field = field_named(text);
  if (field && *field != PriceField::volume) return *field;
  if (field) throw InputError(given.where, "a volume is no price field", "Give close or adjusted");
  std::vector<std::string> names = {"adjusted"};
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (PriceField(k) != PriceField::volume) names.push_back(to_string(PriceField(k)));
  }
  throw InputError(given.where, fmt::format("there is no price field '{}'", excerpt(text)), did_you_mean(text, names));
}

std::pair<std::string, std::string> of_an_asset(const std::string& text) {
  const auto equals = text.find('=');
  if (equals == std::string::npos) return {"", text};
  return {lower_name(text.substr(0, equals)), text.substr(equals + 1)};
}

std::vector<std::pair<std::string, std::string>> by_asset(const Given& given) {
  std::vector<std::pair<std::string, std::string>> all;
  for (const auto& text : given.texts) {
    auto one = of_an_asset(text);
    const auto before = std::ranges::find(all, one.first, &std::pair<std::string, std::string>::first);
    if (before != all.end()) {
      const auto whose = one.first.empty() ? "all assets" : text.substr(0, one.first.size());
      throw InputError(given.where,
                       fmt::format("it is given twice for {}: {} and {}", whose, before->second, one.second),
                       "Leave one of them out");
    }
    all.push_back(std::move(one));
  }
  return all;
}

Take path_to(std::optional<std::filesystem::path> Mandate::*target) {
  return [target](Mandate& mandate, const Given& given) { mandate.*target = given.folder / given.text(); };
}

Day day_in(const Given& given) {
  return day_from(given.text(), given.where);
}

Interval interval_in(const Given& given) {
  return Interval::parse(given.text(), given.where);
}

}  // namespace inchtide
