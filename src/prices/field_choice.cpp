#include "inchtide/prices/field_choice.hpp"

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

PriceField FieldChoice::wanted(const std::string& asset) const {
  const auto own = of_asset.find(lower_name(asset));
  return own == of_asset.end() ? preferred : own->second;
}

PriceField FieldChoice::pick(const std::string& asset, const std::vector<PriceField>& held) const {
  const auto holds = [&](PriceField field) { return std::ranges::find(held, field) != held.end(); };
  if (holds(wanted(asset))) return wanted(asset);
  for (auto field : fields_of_price) {
    if (holds(field)) return field;
  }
  throw InputError(Where::of_asset(asset), "it has neither an adjusted close nor a close nor a price",
                   "Give one of these columns");
}

}  // namespace inchtide
