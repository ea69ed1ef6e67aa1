#include "exchange/toml.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "exchange/depth.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {
namespace {

/// The reader goes down one call a level: what is nested without end would end the program. Keys with dots nest too.
void check_depth(const std::string& file, const std::string& content) {
  std::istringstream lines(content);
  std::size_t number = 0;
  const auto fail = [&](std::size_t line) {
    throw InputError(Where::in_file(file, line), fmt::format("it is nested more than {} levels deep", deepest_level),
                     "Correct it there");
  };
  for (std::string line; std::getline(lines, line);) {
    ++number;
    const auto key = std::string_view(line).substr(0, line.find('='));
    if (std::ranges::count(key, '.') > deepest_level || is_too_deep(line)) fail(number);
  }
  if (is_too_deep(content)) fail(0);
}

}  // namespace

toml::table toml_in(const std::string& text, const std::string& file) {
  check_depth(file, text);
  try {
    return toml::parse(text, file);
  } catch (const toml::parse_error& error) {
    throw InputError(Where::in_file(file, error.source().begin.line, std::to_string(error.source().begin.column)),
                     std::string(error.description()), "Check the TOML there");
  }
}

}  // namespace inchtide::exchange
