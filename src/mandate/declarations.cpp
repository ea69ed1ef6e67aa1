#include "inchtide/mandate/declarations.hpp"

#include <algorithm>

#include "mandate/takers.hpp"

namespace inchtide {

const std::vector<Declaration>& declarations() {
  static const auto all = [] {
    const std::pair<const char*, Declarations> parts[] = {{"Input", of_files()},
                                                          {"Input", of_the_universe()},
                                                          {"Window", of_the_window()},
                                                          {"Estimate", of_the_estimate()},
                                                          {"Choice", of_limits_and_aims()},
                                                          {"Costs", of_trading_costs()},
                                                          {"Rehearsal", of_the_rehearsal()},
                                                          {"Grids", of_grids()},
                                                          {"Input", of_gathering()}};
    Declarations list;
    for (const auto& [topic, part] : parts) {
      for (auto declaration : part) {
        declaration.topic = topic;
        constexpr const char* with_commas[] = {"--assets", "--field", "--own", "--real-moves"};
        const bool commas = std::ranges::find(with_commas, declaration.option) != std::end(with_commas);
        declaration.between = commas ? ',' : '\0';
        list.push_back(std::move(declaration));
      }
    }
    return list;
  }();
  return all;
}

const Declaration* declaration_of(std::string_view option) {
  const auto found = std::ranges::find(declarations(), option, &Declaration::option);
  return option.empty() || found == declarations().end() ? nullptr : &*found;
}

std::string key_of(Means means) {
  if (means == Means::none) return "";
  for (const auto& declaration : declarations()) {
    if (declaration.means == means && !declaration.key.empty()) return declaration.key;
  }
  return "";
}

}  // namespace inchtide
