#pragma once
/// Which of the fields of a history its prices are made from.
///
/// @code
/// #include <cassert>
/// using inchtide::PriceField;
/// inchtide::FieldChoice fields;
/// fields.of_asset["kelpfarm"] = PriceField::close;
/// assert(fields.pick("KELPFARM", {PriceField::close, PriceField::adjusted_close}) == PriceField::close);
/// assert(fields.pick("TIDEMILL", {PriceField::close}) == PriceField::close);  // stands in for an adjusted one
/// @endcode

#include <array>
#include <map>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/prices/history.hpp"

namespace inchtide {

/// Those that prices are made from, the first that there is.
inline constexpr std::array fields_of_price = {PriceField::adjusted_close, PriceField::close, PriceField::price};

/// The field wanted of all assets, or of one. Where an asset lacks it, an adjusted close stands in, then a close, then
/// a price.
struct INCHTIDE_API FieldChoice {
  PriceField preferred = PriceField::adjusted_close;
  std::map<std::string, PriceField> of_asset = {};  ///< by code in lower case; beats `preferred`

  [[nodiscard]] PriceField wanted(const std::string& asset) const;
  /// The one to take out of those that an asset has.
  /// @throws InputError naming the asset when it has none that will do
  [[nodiscard]] PriceField pick(const std::string& asset, const std::vector<PriceField>& held) const;
};

}  // namespace inchtide
