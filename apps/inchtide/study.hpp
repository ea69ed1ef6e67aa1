#pragma once
// What options and mandate add up to: the study's values, with the options beside them.

#include <optional>
#include <string>
#include <vector>

#include "inchtide/mandate/mandate.hpp"
#include "inchtide/report/documents.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/study/portfolios.hpp"
#include "options.hpp"

namespace inchtide::app {

// The mandate with the options worked in.
Mandate mandate_of(const Options& options);

// The universe, and what it came from (its bars are in the universe alone).
struct Study : Universe {
  Options options;
  Mandate mandate;
  Sources sources;

  const Settings& settings() const { return mandate.settings; }
  report::Json inputs() const;
};

Study load_study(const Options& options, Purpose purpose = Purpose::returns);

// Returns of the universe and the benchmark; what is said of them goes to the study's warnings.
StudyReturns returns_of(Study& study, std::optional<Day> before);

// The field of that name, given to an option.
PriceField field_of(const std::string& name, const char* option);

// The basis, and what it came from. Its warnings are all that there are.
struct Choice : Basis {
  Settings settings;
  Sources sources;
  report::Json inputs;
};

// From --estimate, or from prices (before --split where given).
Choice load_choice(const Options& options);
// The same from prices that are loaded already.
Choice choice_of(const Study& study, std::optional<Day> before);

// Portfolios by the settings; each aim has the whole of --patience.
Portfolios portfolios_of(const Choice& choice, const Options& options);

// Done, or done in part where some aim has no portfolio.
int exit_code_of(const Portfolios& portfolios);

std::optional<Day> day_option(const std::string& text, const char* name);

}  // namespace inchtide::app
