#include "inchtide/report/chapter.hpp"

#include "inchtide/base/version.hpp"
#include "json.hpp"

namespace inchtide::report {

std::string to_json(const Chapter& chapter, const SpeltMeans& spelt) {
  auto warnings = Json::array();
  for (const auto& warning : chapter.warnings) warnings.push_back(warning.text(spelt));
  const Json whole = {{"inchtide", version},      {"format", 1},          {"command", chapter.command},
                      {"inputs", chapter.inputs}, {"warnings", warnings}, {"result", chapter.result}};
  return whole.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::string to_text(const Chapter& chapter, const SpeltMeans& spelt, const TextStyle& style) {
  std::string text;
  for (const auto& table : chapter.tables) {
    if (table.preview != 0) text += to_text(table, spelt, style) + "\n";
  }
  return text;
}

Chapter unsolved_chapter(const std::string& command, const UnsolvedProblem& unsolved) {
  Chapter chapter{.command = command, .warnings = {unsolved.notice()}};
  chapter.result = unsolved_json(unsolved.problem());
  return chapter;
}

}  // namespace inchtide::report
