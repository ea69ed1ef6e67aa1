#pragma once
// TOML as its library has it, for the few files that need it.

#include <toml++/toml.h>

#include <string>

namespace inchtide::exchange {

// @throws InputError naming file and line: bad TOML, nested too deep
toml::table toml_in(const std::string& text, const std::string& file);

}  // namespace inchtide::exchange
