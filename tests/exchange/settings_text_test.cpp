// Texts of settings with one of them changed: nothing else in them moves.

#include "inchtide/exchange/settings_text.hpp"

#include <gmock/gmock.h>

#include "support/messages.hpp"

namespace inchtide::exchange {
namespace {

using test::message_of;
using testing::HasSubstr;

using Path = std::vector<std::string>;
using Texts = std::vector<std::string>;

std::string changed(const std::string& text, const Path& path, std::optional<Texts> texts,
                    ValueKind kind = ValueKind::text) {
  return with_change(text, {path, kind, std::move(texts)}, "a.toml");
}

const std::string rules =
    "# Ours\n"
    "[limits]   # of the board\n"
    "\"each höld\" = \"each <= 10%\"   # agreed\n"
    "bonds = \"sector:bonds >= 20%\"\n"
    "\n"
    "[estimate]\n"
    "every = \"1m\"\n"
    "assets = [\"A\",   # first\n"
    "  \"B\"]  # both\n"
    "[costs.all]\n"
    "bps = 12";

TEST(SettingText, AValueTakesThePlaceOfTheOldOneAndNothingElseMoves) {
  auto wanted = rules;
  wanted.replace(wanted.find("each <= 10%"), 11, "each <= 8%");
  EXPECT_EQ(changed(rules, {"limits", "each höld"}, {{"each <= 8%"}}), wanted);
  wanted = rules;
  wanted.replace(wanted.find("bps = 12"), 8, "bps = 7.5");
  EXPECT_EQ(changed(rules, {"costs", "all", "bps"}, {{"7.5"}}, ValueKind::number), wanted);
}

TEST(SettingText, AListOverSeveralLinesIsOneValue) {
  auto wanted = rules;
  const auto begin = wanted.find("[\"A\""), end = wanted.find("]  # both") + 1;
  wanted.replace(begin, end - begin, R"(["C"])");
  EXPECT_EQ(changed(rules, {"estimate", "assets"}, {{"C"}}, ValueKind::list), wanted);
}

TEST(SettingText, ANewKeyComesLastInItsTableAndANewTableLastInTheFile) {
  auto wanted = rules;
  wanted.insert(wanted.find("\n\n[estimate]") + 1, "food = \"sector:food <= 30%\"\n");
  EXPECT_EQ(changed(rules, {"limits", "food"}, {{"sector:food <= 30%"}}), wanted);
  wanted = rules;
  wanted.insert(wanted.find("[costs.all]"), "last_period = \"keep\"\n");  // after a list of several lines
  EXPECT_EQ(changed(rules, {"estimate", "last_period"}, {{"keep"}}), wanted);
  EXPECT_EQ(changed(rules, {"costs", "all", "least"}, {{"90"}}, ValueKind::whole), rules + "\nleast = 90\n");
  EXPECT_EQ(changed(rules, {"costs", "sector:bonds", "bps"}, {{"4"}}, ValueKind::whole),
            rules + "\n\n[costs.\"sector:bonds\"]\nbps = 4\n");
  EXPECT_EQ(changed("", {"rehearsal", "split"}, {{"2023-01-01"}}, ValueKind::day),
            "\n[rehearsal]\nsplit = 2023-01-01\n");
}

TEST(SettingText, AKeyThatGoesTakesItsLineWithIt) {
  auto wanted = rules;
  const auto begin = wanted.find("\"each höld\"");
  wanted.erase(begin, wanted.find("bonds =") - begin);
  EXPECT_EQ(changed(rules, {"limits", "each höld"}, std::nullopt), wanted);
  wanted = rules;
  const auto list = wanted.find("assets ="), next = wanted.find("[costs.all]");
  wanted.erase(list, next - list);
  EXPECT_EQ(changed(rules, {"estimate", "assets"}, std::nullopt), wanted);
  EXPECT_EQ(changed(rules, {"limits", "nothing"}, std::nullopt), rules);
}

TEST(SettingText, TextsOfAnyKindComeBackAsTheyWere) {
  for (const std::string text :
       {"a \"quote\"", "back\\slash", "tab\tand\nline", "1979-05-27", "ümlaut", "# no comment", "'''"}) {
    const auto written = changed(rules, {"limits", "bonds"}, {{text}});
    bool found = false;
    for (const auto& setting : settings_in(written, "a.toml")) {
      if (setting.path == Path{"limits", "bonds"}) {
        EXPECT_EQ(setting.texts, Texts{text});
        found = true;
      }
    }
    EXPECT_TRUE(found) << written;
  }
}

TEST(SettingText, WindowsLinesStayWindowsLines) {
  EXPECT_EQ(changed("[a]\r\nx = 1\r\ny = 2\r\n", {"a", "x"}, {{"3"}}, ValueKind::whole), "[a]\r\nx = 3\r\ny = 2\r\n");
  EXPECT_EQ(changed("[a]\r\nx = 1\r\ny = 2\r\n", {"a", "x"}, std::nullopt), "[a]\r\ny = 2\r\n");
}

TEST(SettingText, WhatCannotBeChangedAloneIsRefusedAndNotSpoilt) {
  const std::string braces = "[costs]\nall = { bps = 12, least = 90 }\n";
  EXPECT_EQ(changed(braces, {"costs", "all", "bps"}, {{"7"}}, ValueKind::whole),
            "[costs]\nall = { bps = 7, least = 90 }\n");
  const auto stuck = HasSubstr("cannot be changed alone in the way it is written");
  EXPECT_THAT(message_of([&] { changed(braces, {"costs", "all", "bps"}, std::nullopt); }), stuck);
  EXPECT_THAT(message_of([&] { changed(braces, {"costs", "all", "most"}, {{"9"}}, ValueKind::whole); }), stuck);
  EXPECT_THAT(message_of([&] { changed("a.b = 1\n", {"a", "c"}, {{"9"}}, ValueKind::whole); }), stuck);
  EXPECT_THAT(message_of([&] { changed(rules, {"limits"}, {{"x"}}); }), stuck);
  EXPECT_THAT(message_of([&] { changed(rules, {"costs", "all"}, {{"x"}}); }), stuck);
  EXPECT_THAT(message_of([&] { changed("[a]\nx = \n", {"a", "x"}, {{"x"}}); }), HasSubstr("a.toml, line 2"));
}

TEST(SettingText, AValueIsOfItsKind) {
  const Path path{"costs", "all", "bps"};
  for (const auto& [kind, text] :
       {std::pair(ValueKind::number, "12]"), std::pair(ValueKind::number, "nan"), std::pair(ValueKind::whole, "1.5"),
        std::pair(ValueKind::yes_or_no, "yes"), std::pair(ValueKind::day, "2023-02-30"),
        std::pair(ValueKind::whole, "1\nleast = 2")}) {
    EXPECT_THAT(message_of([&, &k = kind, &t = text] { changed(rules, path, {{t}}, k); }), HasSubstr("costs.all.bps"))
        << text;
  }
}

}  // namespace
}  // namespace inchtide::exchange
