// The ways in which CSV files write days and figures.

#include "inchtide/exchange/action_file.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/exchange/prices.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide::exchange {
namespace {

using test::Folder;
using test::message_of;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;

const CsvStyle plain;
const CsvStyle european{CsvStyle::Dates::day_first, CsvStyle::Decimal::comma};
const CsvStyle american{CsvStyle::Dates::month_first, CsvStyle::Decimal::point};

std::string place() {
  return "here";
}

PriceHistory prices_in(const std::string& text, const CsvStyle& style = plain) {
  const Folder folder;
  return read_price_file(folder.write("KELPFARM.csv", text), {style});
}

TEST(Days, ThatCanOnlyBeReadInOneWayNeedNoOption) {
  const Day day = *parse_day("2024-03-04");
  for (const char* text : {"2024-03-04", "2024/03/04", "2024.03.04", "20240304", "4 Mar 2024", "04-Mar-2024",
                           "Mar 4, 2024", "4 march 2024"}) {
    EXPECT_EQ(plain.day(text, place), day) << text;
    EXPECT_EQ(european.day(text, place), day) << text;
  }
}

TEST(Days, DayFirstAndMonthFirstAreChosenAndNeverGuessed) {
  for (const char* text : {"04/03/2024", "4/3/2024", "04.03.2024", "4-3-2024"}) {
    EXPECT_EQ(european.day(text, place), *parse_day("2024-03-04")) << text;
    EXPECT_EQ(american.day(text, place), *parse_day("2024-04-03")) << text;
    EXPECT_THAT(
        message_of([&] { plain.day(text, place); }),
        HasSubstr("here: '" + std::string(text) + "' is not an ISO day, and which of its numbers is the month"));
  }
  // Only one order is possible, but nothing is guessed from that: the next row may allow both.
  EXPECT_THAT(message_of([] { plain.day("31/01/2024", place); }),
              HasSubstr("Say that days come first (day-first), that months do (month-first)"));
  EXPECT_THAT(message_of([] { american.day("31/01/2024", place); }), HasSubstr("which of its numbers is the month"));
  for (const char* text : {"", "soon", "2024-02-30", "2024-13-01", "4/3/24", "2024-03-04T00:01", "45355"}) {
    EXPECT_THAT(message_of([&] { european.day(text, place); }), HasSubstr("is not a day")) << text;
  }
}

TEST(Figures, CommasAreReadAsWasChosenAndNeverGuessed) {
  EXPECT_EQ(plain.figure("1234.5", place), 1234.5);
  EXPECT_EQ(american.figure("1,234.5", place), 1234.5);
  EXPECT_EQ(american.figure("1,234,567", place), 1234567);
  EXPECT_EQ(american.figure("1234.5", place), 1234.5);
  EXPECT_EQ(european.figure("1.234,5", place), 1234.5);
  EXPECT_EQ(european.figure("1 234,5", place), 1234.5);
  EXPECT_EQ(european.figure("1'234'567,25", place), 1234567.25);
  EXPECT_EQ(european.figure("12,34", place), 12.34);
  EXPECT_EQ(european.figure("1.234", place), 1234);
  EXPECT_EQ(european.figure("-3,5", place), -3.5);
  for (const char* text : {"1,234", "12,34", "1.234,5", "1,234.5"}) {
    EXPECT_THAT(message_of([&] { plain.figure(text, place); }),
                HasSubstr("Say that it is a comma, as in 1.234,56 (comma)"))
        << text;
  }
  for (const char* text : {"1,23.5", "12,34,567", ",123", "1,,234", "1,234,", "x"}) {
    EXPECT_THAT(message_of([&] { american.figure(text, place); }), HasSubstr("is not a number")) << text;
  }
  for (const char* text : {"1234.5", "1.23,5", "1,2,3"}) {
    EXPECT_THAT(message_of([&] { european.figure(text, place); }), HasSubstr("a decimal comma was chosen")) << text;
  }
}

TEST(Files, SeparatedBySemicolonsOrTabsAreToldByTheirHeader) {
  const auto semicolons = prices_in("date;close;note\n31.01.2024;1.234,5;a,b\n01.02.2024;1.240,25;\n", european);
  EXPECT_THAT(semicolons.prices, ElementsAre(1234.5, 1240.25));
  EXPECT_EQ(semicolons.days[1], *parse_day("2024-02-01"));
  EXPECT_THAT(prices_in("date\tclose\n2024-01-31\t5\n2024-02-01\t6\n").prices, ElementsAre(5, 6));
  EXPECT_THAT(prices_in("date,close\n01/31/2024,\"1,234.5\"\n02/01/2024,7\n", american).prices, ElementsAre(1234.5, 7));
  // Separators within quotes don't count.
  EXPECT_THAT(prices_in("date,close,\"a;b;c;d\"\n2024-01-31,5,\n2024-02-01,6,\n").prices, ElementsAre(5, 6));
}

TEST(Files, SayInManyWaysThatThereIsNoPrice) {
  const auto read = prices_in(
      "date,close\n2024-01-31,5\n2024-02-01,N/A\n2024-02-02,-\n2024-02-05,null\n2024-02-06,#N/A\n2024-02-07,NaN\n"
      "2024-02-08,none\n2024-02-09,6\n");
  EXPECT_THAT(read.prices, ElementsAre(5, 6));
  EXPECT_THAT(message_of([] { prices_in("date,close\n2024-01-31,5\n2024-02-01,no price\n"); }),
              HasSubstr("line 3, column close: 'no price' is not a number"));
  EXPECT_THAT(message_of([] { prices_in("date,close\n2024-01-31,n/a\n2024-02-01,-\n"); }), HasSubstr("holds no price"));
  // A column of them is an empty column, beside which the next best counts.
  const Folder folder;
  const auto none = folder.write("C.csv", "date,close,adjusted_close\n2024-01-31,5,n/a\n2024-02-01,6,n/a\n");
  EXPECT_EQ(read_price_file(none, {}).field, PriceField::close);
  const auto actions = read_actions(
      folder.write("a.csv", "asset,date,split,dividend,pay_day\nA,2024-06-17,2:1,-,n/a\nA,2024-07-01,n/a,0.85,-\n"));
  EXPECT_EQ(actions[0].split, 2);
  EXPECT_EQ(actions[0].dividend, 0);
  EXPECT_EQ(actions[1].split, 1);
  EXPECT_EQ(actions[1].pay_day, std::nullopt);
}

TEST(Files, DaysMayHaveMidnightBehindThem) {
  for (const char* time : {" 00:00", " 00:00:00", "T00:00:00", "T00:00:00Z", " 00:00:00+00:00", " 00:00:00.000"}) {
    EXPECT_EQ(plain.day(std::string("2024-03-04") + time, {}), *parse_day("2024-03-04")) << time;
    EXPECT_EQ(european.day(std::string("4/3/2024") + time, {}), *parse_day("2024-03-04")) << time;
  }
  for (const char* time : {" 16:00:00", "T00:00:01", " 00:00:00-05:00", "00:00:00", " 00", "T23:59:59Z"}) {
    EXPECT_THAT(message_of([&] { plain.day(std::string("2024-03-04") + time, place); }), HasSubstr("is not a day"))
        << time;
  }
}

TEST(Files, WhatASpreadsheetLeavesAtTheEndsIsPassedOver) {
  const auto read = prices_in("date,close,,\n2024-01-31,5,,\n,,,\n2024-02-01,6,,\n,,,\n\n2024-02-02,7\n,,,,,,\n");
  EXPECT_THAT(read.prices, ElementsAre(5, 6, 7));
  EXPECT_THAT(message_of([] { prices_in("date,close,\n2024-01-31,5,\n2024-02-01,6,x\n"); }),
              HasSubstr("line 3: a cell has text whose column has no name: the header names 2"));
  EXPECT_THAT(message_of([] { prices_in("date,close\n2024-01-31,5,6\n"); }),
              HasSubstr("line 2: the row has 3 cells, the header has 2"));
  EXPECT_THAT(message_of([] { prices_in("date,open,close\n2024-01-31,5\n"); }),
              HasSubstr("line 2: the row has 2 cells, the header has 3"));
  const Folder folder;
  const auto wide = read_bars(folder.write("all.csv", "date,A,B,\n2024-01-31,1,2,\n2024-02-01,2,3,\n"));
  EXPECT_EQ(wide.size(), 2u);
  EXPECT_THAT(message_of([&] { read_bars(folder.write("all.csv", ",date,A\n0,2024-01-31,1\n")); }),
              HasSubstr("column 1: it has no name"));
  const std::string utf16(
      "\xFF\xFE"
      "d\0a\0",
      6);
  EXPECT_THAT(message_of([&] { read_price_file(folder.write("u.csv", utf16), {}); }),
              HasSubstr("u.csv: it is written in UTF-16. Save it as CSV in UTF-8"));
}

TEST(Lists, AreWrittenInTheStyleOfTheOtherFiles) {
  const Folder folder;
  const auto weights = read_weights(folder.write("w.csv", "asset;weight\nA;62,5%\nB;37,5 %\n"), european);
  EXPECT_THAT(weights[0].weights, ElementsAre(0.625, 0.375));
  const auto units = folder.write("u.csv", "asset;units\nA;1.234\nB;2,5\ncash;10.000,50\n");
  const auto held = std::get<HoldingList>(read_current(units, european));
  EXPECT_THAT(held.units, ElementsAre(1234, 2.5));
  EXPECT_EQ(held.cash, 10000.5);
  EXPECT_THAT(message_of([&] { (void)read_current(units); }),
              AllOf(HasSubstr("u.csv, line 3, column units: '2,5' can be read in two ways"), HasSubstr("comma")));
  EXPECT_THAT(message_of([&] { (void)read_weights(folder.write("w.csv", "asset;weight\nA;62,5%\n")); }),
              HasSubstr("line 2, column weight: '62,5' can be read in two ways"));
  EXPECT_THAT(message_of([&] { (void)read_weights(folder.write("w.csv", "asset;weight\nA;62.5%\n"), european); }),
              HasSubstr("a decimal comma was chosen"));
  EXPECT_THAT(message_of([&] { (void)read_weights(folder.write("w.csv", "asset;weight\nA;0,6\n"), european); }),
              HasSubstr("'0,6' is not a percentage"));
  // Thousands of percent are nobody's weight: what looks like them has a decimal point.
  EXPECT_THAT(message_of([&] { (void)read_weights(folder.write("w.csv", "asset;weight\nA;12.345%\n"), european); }),
              HasSubstr("'12.345%' is not a percentage. Write it as 12,5%"));
  EXPECT_THAT(message_of([&] { (void)read_weights(folder.write("w.csv", "asset;weight\nA;12,345%\n"), american); }),
              HasSubstr("'12,345%' is not a percentage"));
  const auto tags = read_tags(
      folder.write("t.csv", "code;name;yield;sector;group\nA;Kelp 2,5;2,5;food;007\nB;B;1.250;1.2;1\n"), european);
  EXPECT_EQ(tags.value("A", "yield"), "2.5");
  EXPECT_EQ(tags.value("B", "yield"), "1250");
  EXPECT_EQ(tags.value("A", "name"), "Kelp 2,5") << "a name is no figure";
  EXPECT_EQ(tags.value("B", "sector"), "1.2") << "no figure with a decimal comma";
  EXPECT_EQ(tags.value("A", "group"), "007");
}

TEST(Files, WithTwoColumnsOfOneNameAreRefused) {
  EXPECT_THAT(message_of([] { prices_in("date,close,Close\n2024-01-31,5,6\n"); }),
              HasSubstr("KELPFARM.csv, line 1, column 3: 'Close' comes twice. Keep one of the two columns"));
}

TEST(Fields, AreChosenWithTheNextBestInTheirPlace) {
  const Folder folder;
  const auto all = folder.write("A.csv", "date,close,adjusted_close,high\n2024-01-31,5,4,6\n2024-02-01,6,5,7\n");
  const auto no_adjusted = folder.write("B.csv", "date,close,high\n2024-01-31,5,6\n2024-02-01,6,7\n");
  const auto empty_adjusted = folder.write("C.csv", "date,close,adjusted_close\n2024-01-31,5,\n2024-02-01,6,\n");
  PriceReading reading;
  EXPECT_EQ(read_price_file(all, reading).field, PriceField::adjusted_close);
  EXPECT_EQ(read_price_file(no_adjusted, reading).field, PriceField::close);
  EXPECT_EQ(read_price_file(empty_adjusted, reading).field, PriceField::close);
  reading.fields.preferred = PriceField::high;
  EXPECT_THAT(read_price_file(all, reading).prices, ElementsAre(6, 7));
  EXPECT_EQ(read_price_file(empty_adjusted, reading).field, PriceField::close);
  EXPECT_THAT(message_of([] { FieldChoice{}.pick("X", {PriceField::open}); }),
              HasSubstr("X: it has neither an adjusted close nor a close nor a price"));
  reading.fields.of_asset["a"] = PriceField::close;
  EXPECT_THAT(read_price_file(all, reading).prices, ElementsAre(5, 6));
}

TEST(BarFiles, HoldEveryFieldWithHoles) {
  const Folder folder;
  const auto file =
      folder.write("KELPFARM.csv", "date,open,close,volume\n2024-01-31,5,,10\n2024-02-01,,6,0\n2024-02-02,,,\n");
  const auto bars = read_bars(folder.path());
  ASSERT_EQ(bars.size(), 1u);
  EXPECT_EQ(bars[0].days.size(), 2u);
  EXPECT_TRUE(std::isnan(bars[0].of(PriceField::close)[0]));
  EXPECT_THAT(bars[0].of(PriceField::volume), ElementsAre(10, 0));
  EXPECT_FALSE(bars[0].has(PriceField::high));
  folder.write("KELPFARM.csv", "date,close,volume\n2024-01-31,5,-1\n");
  EXPECT_THAT(message_of([&] { read_bars(file); }), HasSubstr("line 2, column volume: the volume is -1"));
}

TEST(BarFiles, OneBadAssetDoesNotCostTheOthers) {
  const Folder folder;
  const auto wide = folder.write("all.csv", "date,A,B,C\n2024-01-31,1,2,3\n2024-02-01,x,2,\n2024-02-02,1,2,4\n");
  const auto read = read_bars_listing_failures(wide);
  ASSERT_EQ(read.bars.size(), 2u);
  EXPECT_EQ(read.bars[1].asset, "C");
  EXPECT_EQ(read.bars[1].days.size(), 2u);
  ASSERT_EQ(read.failures.size(), 1u);
  EXPECT_EQ(read.failures[0].first, "A");
  EXPECT_THAT(read.failures[0].second.text(), HasSubstr("all.csv, line 3, column A: 'x' is not a number"));
  folder.write("each/A.csv", "date,close\n2024-01-31,1\n");
  folder.write("each/B.csv", "day\n");
  const auto each = read_bars_listing_failures(folder / "each");
  EXPECT_EQ(each.bars.size(), 1u);
  EXPECT_EQ(each.failures[0].first, "B");
}

TEST(Folders, AreReadTheSameByAnyNumberOfThreads) {
  const Folder folder;
  for (int i = 0; i < 40; ++i) {
    std::string text = "date,close\n";
    for (int t = 0; t < 20 + i % 3; ++t)
      text += to_string(Day{std::chrono::days{19000 + t}}) + ",1." + std::to_string(i) + "\n";
    folder.write("A" + std::to_string(i) + ".csv", text);
  }
  const auto one = read_prices(folder.path(), {.threads = 1}), many = read_prices(folder.path(), {.threads = 8});
  ASSERT_EQ(one.size(), 40u);
  for (std::size_t i = 0; i < one.size(); ++i) {
    EXPECT_EQ(one[i].asset, many[i].asset);
    EXPECT_EQ(one[i].prices, many[i].prices);
    EXPECT_EQ(one[i].days, many[i].days);
  }
  EXPECT_TRUE(one[0].days.shares_with(one[4].days)) << "A0 and A12 have equal calendars, kept once";
  folder.write("A1.csv", "date,close\n2024-01-31,x\n");
  folder.write("A3.csv", "date,close\n2024-01-31,y\n");
  for (int threads : {1, 8}) {  // the first file's complaint, whoever gets there first
    EXPECT_THAT(message_of([&] { read_prices(folder.path(), {.threads = threads}); }), HasSubstr("A1.csv"));
  }
}

TEST(ActionsFile, HoldsSplitsAndDividends) {
  const Folder folder;
  const auto actions = read_actions(folder.write(
      "a.csv", "asset,date,split,dividend\nBEACONET,2024-06-17,2:1,\nCOLDQUAY,2024-07-01,,0.85\nX,2024-07-01,0.1,\n"));
  ASSERT_EQ(actions.size(), 3u);
  EXPECT_EQ(actions[0].split, 2);
  EXPECT_EQ(actions[1].dividend, 0.85);
  EXPECT_EQ(actions[1].split, 1);
  EXPECT_EQ(actions[2].split, 0.1);
  const auto complaint = [&](const std::string& text) {
    return message_of([&] { read_actions(folder.write("a.csv", text)); });
  };
  const auto paid =
      read_actions(folder.write("p.csv", "asset,date,dividend,pay_day\nA,2024-03-01,1,2024-03-20\nA,2024-06-03,1,\n"));
  EXPECT_EQ(paid[0].pay_day, parse_day("2024-03-20"));
  EXPECT_EQ(paid[1].pay_day, std::nullopt);
  EXPECT_THAT(complaint("asset,date,dividend,pay_day\nA,2024-03-01,1,2024-02-20\n"),
              HasSubstr("lies before the ex-day 2024-03-01"));
  EXPECT_THAT(complaint("asset,date\n"), HasSubstr("Give columns 'asset', 'date' (the ex-day), and 'split'"));
  EXPECT_THAT(complaint("asset,date,split\nA,2024-03-01,2\nB,2024-03-01,2\na,2024-03-01,3\n"),
              HasSubstr("a.csv, line 4, column date: a has two splits on 2024-03-01"));
  EXPECT_THAT(complaint("asset,date,dividend\nA,2024-03-01,2\nA,2024-03-01,2\n"),
              HasSubstr("line 3, column date: A has the same action twice"));
  const auto special =
      folder.write("s.csv", "asset,date,split,dividend\nA,2024-03-01,,2\nA,2024-03-01,,3\nA,2024-03-01,2,\n");
  EXPECT_EQ(read_actions(special).size(), 3u);
  EXPECT_THAT(complaint("asset,date,split\nA,2024-06-17,2:0\n"),
              HasSubstr("a.csv, line 2, column split: a split of 2:0"));
  EXPECT_THAT(complaint("asset,date,split\nA,2024-06-17,two\n"), HasSubstr("'two' is not a number"));
  EXPECT_THAT(complaint("asset,date,dividend\nA,2024-06-17,-2\n"), HasSubstr("the dividend is negative"));
  EXPECT_THAT(complaint("asset,date,dividend\n,2024-06-17,2\n"), HasSubstr("the asset is missing"));
}

TEST(MemberLists, AreTextOrCsv) {
  const Folder folder;
  EXPECT_THAT(read_members(folder.write("m.txt", "# ours\nTDM.HX\n\n  GLW.HX # wind\r\n"), {}).members,
              ElementsAre("TDM.HX", "GLW.HX"));
  const auto list = read_members(folder.write("m.csv", "name,security_number\nTidemill,410027\n"), {"security_number"});
  EXPECT_EQ(list.scheme, "security_number");
  EXPECT_THAT(list.members, ElementsAre("410027"));
  EXPECT_THAT(message_of([&] { read_members(folder.write("m.txt", "# none\n"), {}); }), HasSubstr("names no member"));
}

}  // namespace
}  // namespace inchtide::exchange
