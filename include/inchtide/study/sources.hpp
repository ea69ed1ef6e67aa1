#pragma once
/// What a study is made of: everything that is read, or given, before its first step.
///
/// @code
/// #include <cassert>
/// inchtide::Sources sources;
/// sources.current = inchtide::WeightList{"held", {"KELPFARM"}, {1.0}};
/// assert(sources.bars.empty() && sources.current->weights[0] == 1);
/// @endcode

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/currency.hpp"
#include "inchtide/study/holdings.hpp"
#include "inchtide/weights/weight_list.hpp"

namespace inchtide {

struct INCHTIDE_API Sources {
  std::vector<BarHistory> bars;  ///< of every asset and the benchmark, all fields as they came
  Tags tags;
  std::optional<std::vector<CorporateAction>> actions;  ///< splits and dividends to work into closes
  /// Exchange rates, where prices may be converted. One that names no second currency is in the base one.
  std::optional<std::vector<RateHistory>> rates;
  std::optional<WeightList> current;  ///< the weights held now
  std::optional<HoldingList> held;    ///< or units and cash: `basis_of` makes weights of them
  std::optional<WeightList> implied;  ///< whose expected returns are implied; equal ones without it
  std::vector<WeightList> given;      ///< portfolios to look at beside those that are chosen
  /// Assets of which nothing could be read, and why; they cost no other.
  std::vector<std::pair<std::string, Notice>> passed_over;
};

}  // namespace inchtide
