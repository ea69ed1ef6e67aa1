#include "inchtide/mandate/changes.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "inchtide/base/day.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/settings_text.hpp"
#include "inchtide/mandate/declarations.hpp"

namespace inchtide {
namespace {

using exchange::ValueKind;

bool is_number(const std::string& text) {
  return !text.empty() && text.find_first_not_of("+-0123456789.") == std::string::npos;
}

/// How a file has a value of that kind.
ValueKind kind_of(const Declaration& declaration, const std::vector<std::string>& texts) {
  const auto& first = texts.empty() ? std::string() : texts.front();
  switch (declaration.takes) {
    case Takes::list:
    case Takes::values: return ValueKind::list;
    case Takes::number: return ValueKind::number;
    case Takes::amount: return is_number(first) ? ValueKind::number : ValueKind::text;
    case Takes::whole: return ValueKind::whole;
    case Takes::yes_or_no: return ValueKind::yes_or_no;
    case Takes::day: return parse_day(first) ? ValueKind::day : ValueKind::text;
    default: return ValueKind::text;
  }
}

const Declaration& known(const std::vector<std::string>& path, const std::string& file) {
  if (const auto* one = declaration_at(path)) return *one;
  std::vector<std::string> keys;
  for (const auto& one : declarations()) {
    if (!one.key.empty()) keys.push_back(one.key);
  }
  const auto key = fmt::format("{}", fmt::join(path, "."));
  throw InputError(Where::in_file(file), fmt::format("'{}' is not a key that it knows", key), did_you_mean(key, keys));
}

}  // namespace

std::string changed_mandate(std::string text, const std::vector<MandateChange>& changes, const std::string& file) {
  for (const auto& [path, texts] : changes) {
    const auto& declaration = known(path, file);
    const auto kind = texts ? kind_of(declaration, *texts) : ValueKind::text;
    text = exchange::with_change(text, {path, kind, texts}, file);
  }
  return text;
}

}  // namespace inchtide
