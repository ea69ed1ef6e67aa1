// A mandate with some of its keys changed.

#include "inchtide/mandate/changes.hpp"

#include <gmock/gmock.h>

#include "inchtide/mandate/declarations.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::AllOf;
using testing::HasSubstr;

std::vector<std::string> parts_of(const std::string& key) {
  std::vector<std::string> parts{""};
  for (const char c : key) {
    if (c == '.') {
      parts.emplace_back();
    } else {
      parts.back() += c;
    }
  }
  return parts;
}

// Every key that is declared can be set by its own example, comes out of the text as that, and can be taken out again.
TEST(MandateChanges, EveryKeyTakesItsExampleAndGoesAgain) {
  const std::string begin = "# Rules\n[universe]\nprices = \"prices\"\n";
  int tried = 0;
  for (const auto& one : declarations()) {
    if (one.key.empty() || one.example.empty() || one.key.starts_with("views.") || one.key.starts_with("cells.") ||
        one.key.starts_with("providers."))
      continue;
    auto path = parts_of(one.key);
    for (auto& part : path) {
      if (part == "*") part = "all";
    }
    if (path == std::vector<std::string>{"universe", "prices"}) continue;
    SCOPED_TRACE(one.key);
    const auto text = changed_mandate(begin, {{path, {{one.example}}}}, "m.toml");
    EXPECT_TRUE(text.starts_with(begin)) << text;
    EXPECT_GT(text.size(), begin.size());
    try {
      (void)mandate_in(text, "m.toml");
    } catch (const InputError& error) {  // some need another key beside them, and say which
      EXPECT_THAT(error.what(), AllOf(HasSubstr("m.toml"), testing::Not(HasSubstr("of another kind")))) << text;
    }
    const auto without = changed_mandate(text, {{path, std::nullopt}}, "m.toml");
    EXPECT_EQ(without.find(" = ", begin.size()), std::string::npos) << without;
    ++tried;
  }
  EXPECT_GT(tried, 60);
}

TEST(MandateChanges, AreMadeOneAfterTheOther) {
  const auto text = changed_mandate(
      "[limits]\na = \"each <= 10%\"\n",
      {{{"limits", "a"}, {{"each <= 9%"}}}, {{"limits", "b"}, {{"KELPFARM <= 4%"}}}, {{"limits", "a"}, std::nullopt}},
      "m.toml");
  EXPECT_EQ(text, "[limits]\nb = \"KELPFARM <= 4%\"\n");
}

TEST(MandateChanges, AnAmountIsAFigureOrAText) {
  EXPECT_THAT(changed_mandate("", {{{"rehearsal", "wealth"}, {{"40m"}}}}, "m.toml"), HasSubstr("wealth = \"40m\""));
  EXPECT_THAT(changed_mandate("", {{{"rehearsal", "wealth"}, {{"40000000"}}}}, "m.toml"),
              HasSubstr("wealth = 40000000\n"));
}

TEST(MandateChanges, AnUnknownKeyGetsTheNearest) {
  EXPECT_THAT(message_of([] {
                (void)changed_mandate("", {{{"estimate", "evry"}, {{"1m"}}}}, "m.toml");
              }),
              AllOf(HasSubstr("'estimate.evry' is not a key"), HasSubstr("estimate.every")));
}

}  // namespace
}  // namespace inchtide
