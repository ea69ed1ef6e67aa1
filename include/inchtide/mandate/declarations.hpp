#pragma once
/// Every setting of a mandate, declared once: its key in the file, its option on a command line, what it takes, what it
/// is without it, and the steps it acts in. The reader of files and a command line are both filled from this table.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// assert(declaration_of("--every")->key == "estimate.every");
/// assert(key_of(Means::interval) == "estimate.every");
/// @endcode

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/mandate/mandate.hpp"

namespace inchtide {

/// Where a setting acts. A command has the options of its steps.
enum class Step {
  gathering,   ///< bringing prices into a store
  reading,     ///< prices and tags from files
  universe,    ///< which assets, over which days, in which currency
  returns,     ///< intervals and conventions
  estimate,    ///< methods
  limits,      ///< limits, the risk-free rate, what is held now
  portfolios,  ///< aims and given weights
  adjusting,   ///< what is done to portfolios, and the cost of trading there
  searching,   ///< for positions
  rehearsal
};

/// What is given for a setting, in a file or on a command line.
struct INCHTIDE_API Given {
  std::vector<std::string> texts;  ///< one, or several of a list
  std::vector<std::string> names;  ///< what stands for the stars of the key
  Where where;                     ///< file, line and key, or the option
  std::filesystem::path folder;    ///< that paths are relative to

  [[nodiscard]] const std::string& text() const { return texts.front(); }
};

/// What a setting takes.
/// A word: one of a few. Values: a list of any plain ones, or one. An amount of money: a number, or one of thousands or
/// millions, as 150k or 40m.
enum class Takes { text, word, list, values, number, amount, whole, yes_or_no, day, percent, path };

struct INCHTIDE_API Declaration {
  std::string key;     ///< "estimate.every"; a star stands for a name: "costs.*.bps". Empty: no key in a file
  std::string option;  ///< "--every"; empty: not on a command line
  Takes takes = Takes::text;
  std::string form;     ///< of its value, in help: "INTERVAL"
  std::string help;     ///< what it is
  std::string usual;    ///< what it is without; empty where that goes without saying
  std::string example;  ///< a value
  std::vector<Step> steps;
  std::function<void(Mandate&, const Given&)> take;
  Means means = Means::none;  ///< what an error says can be changed by it
  bool needed = false;        ///< a table that can hold it has to
  std::string topic = {};     ///< under which help has it
  char between = 0;           ///< what may stand between several values in one word of a command line
};

/// All of them, in the order in which they are taken.
[[nodiscard]] INCHTIDE_API const std::vector<Declaration>& declarations();

/// The declaration of an option, or nothing.
[[nodiscard]] INCHTIDE_API const Declaration* declaration_of(std::string_view option);

/// The declaration of a key of a mandate, table by table, whatever stands for its stars; or nothing.
[[nodiscard]] INCHTIDE_API const Declaration* declaration_at(const std::vector<std::string>& path);

/// The key of a mandate for what an error says can be changed, such as "estimate.every"; empty where there is none. For
/// programs whose users write mandates: `error.notice().text(key_of)`.
[[nodiscard]] INCHTIDE_API std::string key_of(Means means);

}  // namespace inchtide
