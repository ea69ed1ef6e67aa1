#pragma once
// What the declarations of settings are made with: values from what is given, and where they go.

#include <algorithm>
#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/mandate/declarations.hpp"

namespace inchtide {

using Declarations = std::vector<Declaration>;

// The parts of the table, a file each. A part is one list, a setting after the other, and as long as there are
// settings: cut into functions it would only be harder to look through.
Declarations of_files();
Declarations of_the_universe();
Declarations of_the_window();
Declarations of_the_estimate();
Declarations of_limits_and_aims();
Declarations of_trading_costs();
Declarations of_the_rehearsal();
Declarations of_grids();
Declarations of_gathering();

using Take = std::function<void(Mandate&, const Given&)>;

constexpr int many = 1'000'000'000;

double number_in(const Given& given, double least, double most);
// Money: a number, or one with k for thousands or m for millions behind it.
double money_in(const Given& given, double least, double most);
double amount_in(const Given& given);  // money from 0
int whole_in(const Given& given, int least, int most);
bool yes_in(const Given& given);
double percent_in(const Given& given);
std::string code_in(const Given& given, const std::string& text);
// Which of the words it is.
std::size_t choice_in(const Given& given, const std::vector<std::string>& words);
PriceField field_in(const Given& given, const std::string& text);
// `KELPFARM=6%`, cut at the sign; the first part empty without one.
std::pair<std::string, std::string> of_an_asset(const std::string& text);
// `KELPFARM=6%, TIDEMILL=7%`, each part as above. Throws where an asset, or what is for all, comes twice.
std::vector<std::pair<std::string, std::string>> by_asset(const Given& given);
Take path_to(std::optional<std::filesystem::path> Mandate::*target);
Day day_in(const Given& given);
Interval interval_in(const Given& given);

// The entry of a list that has a name; made where there is none.
template <typename Entry>
Entry& entry_of(std::vector<Entry>& list, std::string Entry::*name, const std::string& wanted) {
  const auto found = std::ranges::find(list, wanted, name);
  if (found != list.end()) return *found;
  list.emplace_back().*name = wanted;
  return list.back();
}

// Something of the settings by a function of what is given.
template <typename Target, typename Read>
Take into(Target Settings::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) { mandate.settings.*target = read(given); };
}

// A list of values that replaces what was there.
template <typename Value, typename Read>
Take list_of(std::vector<Value> Settings::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) {
    (mandate.settings.*target).clear();
    for (const auto& text : given.texts) (mandate.settings.*target).push_back(read(text, given));
  };
}

template <typename Target, typename Read>
Take into_methods(Target EstimateOptions::*target, Read read) {
  return [target, read](Mandate& mandate, const Given& given) { mandate.settings.methods.*target = read(given); };
}

}  // namespace inchtide
