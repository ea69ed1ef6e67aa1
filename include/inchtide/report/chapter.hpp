#pragma once
/// What a command has to say, whole: where it comes from, warnings, tables, charts, and the same as JSON. Made once
/// from typed results, one header a stage (prices.hpp, returns.hpp, ...), and handed to writers: text, CSV, JSON, a
/// spreadsheet, figures.
///
/// The JSON has an envelope that is the same for all, and a `result` of each chapter's own. Weights and returns are
/// fractions of 1, per year unless the field says otherwise; weights of exactly 0 are left out; drawdowns are negative;
/// numbers have round-trip precision.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::report;
/// Chapter chapter{.command = "weigh", .warnings = {"careful"}};
/// chapter.result = {{"portfolios", Json::array()}};
/// const auto json = Json::parse(to_json(chapter));
/// assert(json["command"] == "weigh" && json["warnings"][0] == "careful");
/// @endcode

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/frontier/unsolved.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/study/basis.hpp"

namespace inchtide::report {

using Json = nlohmann::ordered_json;

/// A chart that there is none of this time.
struct INCHTIDE_API NoChart {
  std::string name;
  Notice why;
};

/// A file that goes with the tables.
struct INCHTIDE_API TextFile {
  std::string name, content;
};

struct INCHTIDE_API Chapter {
  std::string command;
  std::string sentence;  ///< what came out, in a line
  Json inputs = Json::object();
  std::vector<Notice> warnings;
  Json result = Json::object();
  std::vector<Table> tables;
  std::vector<Chart> charts;
  std::vector<NoChart> no_charts;
  std::vector<TextFile> files;
  bool in_part = false;  ///< something that was asked for has no answer; what has one is here
};

/// {"inchtide", "format", "command", "inputs", "warnings", "result"}, as text that ends its last line.
[[nodiscard]] INCHTIDE_API std::string to_json(const Chapter& chapter, const SpeltMeans& spelt = {});

/// The tables as people read them, one below the other.
[[nodiscard]] INCHTIDE_API std::string to_text(const Chapter& chapter, const SpeltMeans& spelt = {},
                                               const TextStyle& style = {});

/// What a chapter was made from, for its inputs, and how its reader spells what can be changed.
struct INCHTIDE_API Background {
  std::string mandate, prices, estimate, current;  ///< names of files, as given; empty for none
  std::optional<Day> split;                        ///< only prices before it were used
  SpeltMeans spelt;
};

/// A problem whose answer could not be certified, as a chapter of its own: a file that reproduces it.
[[nodiscard]] INCHTIDE_API Chapter unsolved_chapter(const std::string& command, const UnsolvedProblem& unsolved);

}  // namespace inchtide::report
