#include "inchtide/base/text.hpp"

#include <gmock/gmock.h>

#include <cmath>

#include "inchtide/base/day.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using testing::HasSubstr;

TEST(Names, AreWhatCanBeSeen) {
  for (const char* good : {"KELPFARM", "Søren & Sønner", "a b", "=1+1", "'", "日本", "A/B.c"}) {
    EXPECT_EQ(fault_of_name(good, longest_code), std::nullopt) << good;
  }
  EXPECT_THAT(*fault_of_name("", 64), HasSubstr("empty"));
  EXPECT_THAT(*fault_of_name("K\xC3", 64), HasSubstr("UTF-8"));
  EXPECT_THAT(*fault_of_name("\xED\xA0\x80", 64), HasSubstr("UTF-8"));      // half of a surrogate pair
  EXPECT_THAT(*fault_of_name("\xC0\xAF", 64), HasSubstr("UTF-8"));          // a longer way to write '/'
  EXPECT_THAT(*fault_of_name("\xF4\x90\x80\x80", 64), HasSubstr("UTF-8"));  // beyond the last character
  EXPECT_THAT(*fault_of_name("a\nb", 64), HasSubstr("U+000A"));
  EXPECT_THAT(*fault_of_name(std::string("a\0b", 3), 64), HasSubstr("U+0000"));
  EXPECT_THAT(*fault_of_name("\x1B[2J", 64), HasSubstr("U+001B"));
  EXPECT_THAT(*fault_of_name("a\xC2\x9B"
                             "b",
                             64),
              HasSubstr("U+009B"));  // a terminal's CSI in Latin 1
  EXPECT_THAT(*fault_of_name("a\xE2\x80\xAE"
                             "b",
                             64),
              HasSubstr("U+202E"));  // writes backwards
}

TEST(Names, MayHoldTheNeighboursOfControlCharacters) {
  EXPECT_EQ(fault_of_name("a ~\xC2\xA0", 64), std::nullopt);  // a space, the last of ASCII, a space that doesn't break
  EXPECT_THAT(*fault_of_name("\x1F", 64), HasSubstr("U+001F"));
  EXPECT_THAT(*fault_of_name("\x7F", 64), HasSubstr("U+007F"));
}

TEST(Names, ThatDifferInWhatShowsNothingCannotBe) {
  const auto utf8 = [](char32_t c) {
    if (c < 0x80) return std::string{char(c)};
    if (c < 0x800) return std::string{char(0xC0 | c >> 6), char(0x80 | (c & 0x3F))};
    if (c < 0x10000) return std::string{char(0xE0 | c >> 12), char(0x80 | (c >> 6 & 0x3F)), char(0x80 | (c & 0x3F))};
    return std::string{char(0xF0 | c >> 18), char(0x80 | (c >> 12 & 0x3F)), char(0x80 | (c >> 6 & 0x3F)),
                       char(0x80 | (c & 0x3F))};
  };
  for (char32_t c : {0x00,   0x1F,   0x7F,   0x9F,   0xAD,   0x61C,  0x200B, 0x200E, 0x200F,  0x2028,
                     0x2029, 0x202A, 0x202E, 0x2060, 0x2066, 0x2069, 0xFEFF, 0xFFF9, 0xE0001, 0xE007F}) {
    EXPECT_TRUE(fault_of_name("KELP" + utf8(c) + "FARM", 64)) << std::hex << std::uint32_t(c);
  }
  // Letters of some scripts are joined and kept apart by 200C and 200D.
  for (char32_t c : {0x20, 0x7E, 0xA0, 0xAC, 0xAE, 0x61B, 0x200C, 0x200D, 0x2027, 0x202F, 0x205F, 0xFEFE, 0xFFFC}) {
    EXPECT_FALSE(fault_of_name("KELP" + utf8(c) + "FARM", 64)) << std::hex << std::uint32_t(c);
  }
}

TEST(Names, AreCountedInCharacters) {
  std::string word;
  for (int k = 0; k < 64; ++k) word += "ø";
  EXPECT_EQ(fault_of_name(word, 64), std::nullopt);
  EXPECT_THAT(*fault_of_name(word + "ø", 64), HasSubstr("65 characters, the most is 64"));
  EXPECT_THAT(test::message_of([&] { check_name("a\x07", 64, "tags.csv, line 3"); }),
              testing::AllOf(HasSubstr("tags.csv, line 3"), HasSubstr("'a\xEF\xBF\xBD'"), HasSubstr("U+0007")));
}

TEST(Printable, LeavesNothingUnseen) {
  EXPECT_EQ(printable("plain ø\nnext"), "plain ø\nnext");
  EXPECT_EQ(printable("\x1B[31m"), "\xEF\xBF\xBD[31m");
  EXPECT_EQ(fault_of_name(printable("a\xFF\xFE\x80 \x9B z"), 64), std::nullopt);
}

TEST(Excerpt, CutsBetweenCharacters) {
  EXPECT_EQ(excerpt("short", 5), "short");
  EXPECT_EQ(excerpt("øøøø", 2), "øø...");
  EXPECT_EQ(excerpt("a\nb"),
            "a\xEF\xBF\xBD"
            "b");
  const auto cut = excerpt(std::string(1 << 22, 'x'));
  EXPECT_EQ(cut.size(), 83u);
}

TEST(Ranges, NanLiesNowhere) {
  EXPECT_EQ(within(0.5, 0, 1, "x"), 0.5);
  EXPECT_EQ(within(1, 0, 1, "x"), 1);
  for (double bad : {-1e-9, 1.1, double(NAN), double(INFINITY)}) EXPECT_THROW(within(bad, 0, 1, "x"), InputError);
  EXPECT_EQ(whole_within(7, 0, 7, "x"), 7);
  EXPECT_THAT(test::message_of([] { whole_within(std::int64_t(1) << 32, 0, 1000000, "delay"); }),
              HasSubstr("delay: 4294967296 is not between 0 and 1000000"));
}

TEST(Ranges, AnIntervalEndsSomewhere) {
  EXPECT_EQ(Interval::parse("10000y", "--last").count(), 10000);
  for (const char* text : {"400000y", "2000000000d", "99999999999999999999d"}) {
    EXPECT_THROW(Interval::parse(text, "--last"), InputError) << text;
  }
}

}  // namespace
}  // namespace inchtide
