#include "inchtide/base/text.hpp"

#include <fmt/format.h>
#include <utf8.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// Characters that show nothing: two names that differ in them look the same.
constexpr std::pair<char32_t, char32_t> unseen[] = {
    {0x00, 0x1F},        // control characters
    {0x7F, 0x9F},        // and those of Latin 1
    {0xAD, 0xAD},        // a hyphen that shows at the end of a line alone
    {0x61C, 0x61C},      // direction
    {0x200B, 0x200B},    // a space without width
    {0x200E, 0x200F},    // direction
    {0x2028, 0x202E},    // separators of lines and paragraphs, direction
    {0x2060, 0x206F},    // joins, signs of formulas, direction
    {0xFEFF, 0xFEFF},    // byte order
    {0xFFF9, 0xFFFB},    // notes between lines
    {0xE0000, 0xE007F},  // tags
};

bool is_unseen(char32_t c) {
  return std::ranges::any_of(unseen, [&](const auto& range) { return range.first <= c && c <= range.second; });
}

}  // namespace

std::optional<std::string> fault_of_name(std::string_view text, std::size_t most) {
  if (text.empty()) return "it is empty";
  if (!utf8::is_valid(text.begin(), text.end())) return "it is not valid UTF-8";
  std::size_t count = 0;
  for (auto at = text.begin(); at != text.end(); ++count) {
    const char32_t c = utf8::unchecked::next(at);
    if (is_unseen(c)) return fmt::format("it holds the control character U+{:04X}", std::uint32_t(c));
  }
  if (count > most) return fmt::format("it has {} characters, the most is {}", count, most);
  return std::nullopt;
}

void check_name(std::string_view text, std::size_t most, const Where& where) {
  if (const auto fault = fault_of_name(text, most)) {
    throw InputError(where, fmt::format("'{}' cannot be a name: {}", excerpt(text), *fault),
                     "Rename it where it comes from");
  }
}

std::string printable(std::string_view text) {
  std::string whole, shown;
  utf8::replace_invalid(text.begin(), text.end(), std::back_inserter(whole));
  for (auto at = whole.begin(); at != whole.end();) {
    const char32_t c = utf8::unchecked::next(at);
    utf8::unchecked::append(is_unseen(c) && c != '\n' ? 0xFFFD : c, std::back_inserter(shown));
  }
  return shown;
}

std::string excerpt(std::string_view text, std::size_t most) {
  const bool cut_first = text.size() > 8 * most;  // a cell may have megabytes
  const auto whole = printable(cut_first ? text.substr(0, 8 * most) : text);
  std::string shown;
  std::size_t count = 0;
  for (auto at = whole.begin(); at != whole.end(); ++count) {
    if (count == most) return shown + "...";
    const char32_t c = utf8::unchecked::next(at);
    utf8::unchecked::append(c == '\n' ? 0xFFFD : c, std::back_inserter(shown));
  }
  return cut_first ? shown + "..." : shown;
}

std::string with_thousands(double value) {
  std::string digits = fmt::format("{:.0f}", std::abs(value));
  for (auto at = std::ptrdiff_t(digits.size()) - 3; at > 0; at -= 3) digits.insert(std::size_t(at), ",");
  return (value < 0 && digits != "0" ? "-" : "") + digits;
}

std::string counted(std::size_t count, std::string_view one) {
  return fmt::format("{} {}{}", with_thousands(double(count)), one, count == 1 ? "" : "s");
}

std::string fine_text(double value, int decimals) {
  const double size = std::abs(value);
  if (size < 1e-12) return fmt::format("{:.{}f}", 0.0, decimals);
  return fmt::format("{:.{}f}", value, std::max(decimals, 2 - int(std::floor(std::log10(size)))));
}

}  // namespace inchtide
