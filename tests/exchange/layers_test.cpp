// What the layers may say: words of the command line belong to the tool alone, and a type has its name to itself.

#include <gmock/gmock.h>

#include <filesystem>
#include <fstream>
#include <map>
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

/// The types that a header defines, with their namespace: they begin their lines.
std::vector<std::string> types_in(const std::string& text) {
  static const std::regex line(
      R"(^(?:namespace ([\w:]+) \{|(?:struct|class) (?:INCHTIDE_API )?(\w+)(?: final)?(?: :[^;]*)? \{))",
      std::regex::multiline);
  std::vector<std::string> types;
  std::string room;
  for (std::sregex_iterator at(text.begin(), text.end(), line), end; at != end; ++at) {
    if ((*at)[1].matched) room = (*at)[1];
    if ((*at)[2].matched) types.push_back(room + "::" + (*at)[2].str());
  }
  return types;
}

TEST(Layers, NoTwoTypesHaveOneName) {
  EXPECT_THAT(
      types_in("namespace a::b {\nstruct X {\n};\nclass INCHTIDE_API Y : public X {\n  struct Z {};\n};\nclass W;\n"),
      testing::ElementsAre("a::b::X", "a::b::Y"));
  // The linker keeps one of two destructors of a name, and says nothing.
  std::map<std::string, fs::path> known;
  for (const char* part : {"src", "include", "apps"}) {
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(INCHTIDE_SOURCE) / part)) {
      if (entry.path().extension() != ".hpp") continue;
      for (const auto& type : types_in(text_of(entry.path()))) {
        const auto [other, is_new] = known.try_emplace(type, entry.path());
        EXPECT_TRUE(is_new) << type << " is in " << other->second << " and in " << entry.path();
      }
    }
  }
  EXPECT_GT(known.size(), 250u);
}

}  // namespace
