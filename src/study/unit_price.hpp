#pragma once
// What a unit of an asset costs.

#include <string>

#include "inchtide/study/universe.hpp"

namespace inchtide {

struct UnitPrice {
  double price;
  Day day;
  bool adjusted;  // there is only an adjusted close, which is no price of a unit
};

// The last price up to a day, of a unit where a close stands beside an adjusted one; in the base currency.
[[nodiscard]] UnitPrice unit_price(const Universe& universe, const std::string& asset, std::optional<Day> to);

[[noreturn]] void throw_no_unit_price(const std::string& asset, const std::string& remedy);

}  // namespace inchtide
