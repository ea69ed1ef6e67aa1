// What the layers may say: words of the command line belong to the tool alone.

#include <gmock/gmock.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <sstream>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

/// The string literals of a source text, comments left out.
std::vector<std::string> literals_of(const std::string& text) {
  static const std::regex token(
      R"re(//[^\n]*|/\*[\s\S]*?\*/|'(?:\\.|[^'\\\n])'|R"([a-z]*)\(([\s\S]*?)\)\1"|"((?:\\.|[^"\\\n])*)")re");
  std::vector<std::string> literals;
  for (std::sregex_iterator at(text.begin(), text.end(), token), end; at != end; ++at) {
    const auto& found = *at;
    if (found[2].matched) literals.push_back(found[2]);
    if (found[3].matched) literals.push_back(found[3]);
  }
  return literals;
}

std::vector<std::string> options_named_in(const std::string& text) {
  static const std::regex option("--[a-z]");
  std::vector<std::string> named;
  for (const auto& literal : literals_of(text)) {
    if (std::regex_search(literal, option)) named.push_back(literal);
  }
  return named;
}

std::string text_of(const fs::path& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}

TEST(Layers, TheSearchSeesALiteralAndNoComment) {
  EXPECT_THAT(options_named_in("f(\"take --every\"); // --from\n/* \"--to\" */ g('\"', \"a\\\"--last\");"),
              testing::ElementsAre("take --every", "a\\\"--last"));
  EXPECT_THAT(options_named_in("const char* sql = R\"(SELECT --x\n)\";"), testing::ElementsAre("SELECT --x\n"));
}

TEST(Layers, NothingBelowTheToolNamesAnOption) {
  int files = 0;
  for (const char* part : {"src", "include"}) {
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(INCHTIDE_SOURCE) / part)) {
      if (!entry.is_regular_file()) continue;
      if (entry.path().parent_path().filename() == "mandate") continue;  // where settings are declared, options too
      ++files;
      EXPECT_THAT(options_named_in(text_of(entry.path())), testing::IsEmpty()) << entry.path();
    }
  }
  EXPECT_GT(files, 100);
}

}  // namespace
