// What the readers accept, and what they say of files that they don't.

#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/exchange/prices.hpp"
#include "inchtide/exchange/rate_files.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide::exchange {
namespace {

using test::Folder;
using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

PriceHistory prices_from(const std::string& text) {
  const Folder folder;
  return read_price_file(folder.write("KELPFARM.csv", text));
}

std::string complaint_about_prices(const std::string& text) {
  return message_of([&] { prices_from(text); });
}

TEST(PriceFile, FindsColumnsByNameInAnyOrder) {
  const auto history =
      prices_from("volume,Adjusted Close,close,DATE\n5,10.5,11,2024-01-02\n6,10.75,11.25,2024-01-03\n");
  EXPECT_EQ(history.asset, "KELPFARM");
  EXPECT_EQ(history.field, PriceField::adjusted_close);
  EXPECT_THAT(history.prices, ElementsAre(10.5, 10.75));
  EXPECT_EQ(history.days[1], *parse_day("2024-01-03"));
}

TEST(PriceFile, ADateAndOnePriceColumnAreEnough) {
  EXPECT_EQ(prices_from("date,close\n2024-01-02,1\n2024-01-03,2\n").field, PriceField::close);
  EXPECT_EQ(prices_from("price,date\n1,2024-01-02\n2,2024-01-03\n").field, PriceField::price);
}

TEST(PriceFile, TakesByteOrderMarksCrlfQuotesBlankLinesAndEmptyCells) {
  const auto history = prices_from(
      "\xEF\xBB\xBF"
      "date,close,note\r\n2024-01-02,1,\"a, b\"\r\n\r\n2024-01-03,,\r\n2024-01-04,\"2.5\",\"two\nlines\"\r\n\r\n");
  EXPECT_THAT(history.prices, ElementsAre(1, 2.5));
  EXPECT_EQ(history.days[1], *parse_day("2024-01-04"));
}

TEST(PriceFile, EachBadCellIsNamedByFileLineAndColumn) {
  const std::string header = "date,close\n2024-01-02,1\n";
  EXPECT_THAT(complaint_about_prices(header + "03.01.2024,2\n"),
              HasSubstr("KELPFARM.csv, line 3, column date: '03.01.2024' is not an ISO day, and which"));
  EXPECT_THAT(complaint_about_prices(header + "\n2024-01-03,abc\n"),
              HasSubstr("line 4, column close: 'abc' is not a number"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03,-2\n"), HasSubstr("line 3, column close: the price is -2"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03,0\n"), HasSubstr("the price is 0"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03,inf\n"), HasSubstr("'inf' is not a number"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-02,3\n"), HasSubstr("column date: 2024-01-02 comes twice"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03,2\n2024-01-01,3\n"),
              HasSubstr("line 4, column date: 2024-01-01 comes after a later day"));
  EXPECT_THAT(
      complaint_about_prices(header + "2024-01-01,2\n2024-01-03,3\n"),
      HasSubstr("line 4, column date: 2024-01-03 comes after an earlier day, though the days before it go back"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-01,2\n2024-01-01,3\n"), HasSubstr("2024-01-01 comes twice"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03\n"),
              HasSubstr("line 3: the row has 1 cells, the header has 2"));
  EXPECT_THAT(complaint_about_prices(header + "2024-01-03,\"2\n"), HasSubstr("Check the quotes"));
}

TEST(PriceFile, LinesAreCountedAcrossQuotedLineEnds) {
  EXPECT_THAT(complaint_about_prices("date,close,note\n2024-01-02,1,\"one\ntwo\nthree\"\n2024-01-03,x,\n"),
              HasSubstr("line 5, column close"));
}

TEST(PriceFile, WholeFilesThatCannotBeUsed) {
  EXPECT_THAT(complaint_about_prices(""), HasSubstr("KELPFARM.csv: the file is empty"));
  EXPECT_THAT(complaint_about_prices("close\n1\n"), HasSubstr("line 1: no date column: the header has close"));
  EXPECT_THAT(complaint_about_prices("date,volume\n2024-01-02,1\n"), HasSubstr("no price column"));
  EXPECT_THAT(complaint_about_prices("date,close\n"), HasSubstr("it holds no price"));
  EXPECT_THAT(complaint_about_prices("date,close\n2024-01-02,1\n"), HasSubstr("a single price, on 2024-01-02"));
}

TEST(PriceFolder, ReadsEveryCsvInOrderOfTheirNames) {
  const Folder folder;
  EXPECT_THAT(message_of([&] { read_prices(folder.path()); }), HasSubstr("holds no .csv file"));
  EXPECT_THAT(message_of([&] { read_prices(folder / "none"); }), HasSubstr("there is no such file or folder"));
  folder.write("B.csv", "date,close\n2024-01-02,1\n2024-01-03,1\n");
  folder.write("A.csv", "date,close\n2024-01-02,1\n2024-01-03,1\n");
  folder.write("readme.txt", "nothing");
  const auto histories = read_prices(folder.path());
  ASSERT_EQ(histories.size(), 2u);
  EXPECT_EQ(histories[0].asset, "A");
}

std::vector<PriceHistory> many_from(const std::string& text) {
  const Folder folder;
  return read_prices(folder.write("all.csv", text));
}

TEST(WideFile, HoldsAColumnAnAsset) {
  const auto histories = many_from("KELPFARM,date,TIDEMILL\n10,2024-01-02,50\n,2024-01-03,51\n12,2024-01-04,52\n");
  ASSERT_EQ(histories.size(), 2u);
  EXPECT_EQ(histories[0].asset, "KELPFARM");
  EXPECT_THAT(histories[0].prices, ElementsAre(10, 12));
  EXPECT_EQ(histories[0].days[1], *parse_day("2024-01-04"));
  EXPECT_THAT(histories[1].prices, ElementsAre(50, 51, 52));
}

TEST(LongFile, HoldsARowAnAssetAndDay) {
  const auto histories = many_from(
      "date,asset,close,adjusted_close\n2024-01-02,B,1,10\n2024-01-02,A,2,20\n2024-01-03,b,3,30\n2024-01-03,A,4,40\n");
  ASSERT_EQ(histories.size(), 2u);
  EXPECT_EQ(histories[0].asset, "B");
  EXPECT_EQ(histories[0].field, PriceField::adjusted_close);
  EXPECT_THAT(histories[0].prices, ElementsAre(10, 30));
  EXPECT_THAT(histories[1].prices, ElementsAre(20, 40));
}

// Many sources write the newest day first: it is the same history.
TEST(PriceFiles, MayBeginWithTheNewestDay) {
  const auto one = prices_from("date,open,close\n2024-01-04,3.5,3\n2024-01-03,,\n2024-01-02,1.5,1\n2023-12-29,,4\n");
  EXPECT_THAT(one.prices, ElementsAre(4, 1, 3));
  EXPECT_THAT(std::vector<Day>(one.days),
              ElementsAre(*parse_day("2023-12-29"), *parse_day("2024-01-02"), *parse_day("2024-01-04")));
  // Each asset by itself: the second has its oldest first.
  const auto many =
      many_from("date,asset,close\n2024-01-04,B,1\n2024-01-02,A,5\n2024-01-03,B,2\n2024-01-03,A,6\n2024-01-02,B,3\n");
  ASSERT_EQ(many.size(), 2u);
  EXPECT_THAT(many[0].prices, ElementsAre(3, 2, 1));
  EXPECT_THAT(many[1].prices, ElementsAre(5, 6));
  const auto wide = many_from("date,A,B\n2024-01-04,1,\n2024-01-03,2,20\n2024-01-02,3,30\n");
  EXPECT_THAT(wide[0].prices, ElementsAre(3, 2, 1));
  EXPECT_THAT(wide[1].prices, ElementsAre(30, 20));
}

TEST(FileOfMany, SaysWhereItIsWrong) {
  const auto complaint = [](const std::string& text) { return message_of([&] { many_from(text); }); };
  EXPECT_THAT(complaint("date,A,a\n2024-01-02,1,2\n"), HasSubstr("all.csv, line 1, column 3: 'a' comes twice"));
  EXPECT_THAT(complaint("date,A,\n2024-01-02,1,2\n"), HasSubstr("line 2: a cell has text whose column has no name"));
  EXPECT_THAT(complaint("date,A,B\n2024-01-02,1,x\n"), HasSubstr("line 2, column B: 'x' is not a number"));
  EXPECT_THAT(complaint("date,A,B\n2024-01-02,1,\n2024-01-03,1,\n"), HasSubstr("it holds no price of B"));
  EXPECT_THAT(complaint("date,A,B\n2024-01-02,1,\n2024-01-03,1,1\n"), HasSubstr("a single price of B, on 2024-01-03"));
  EXPECT_THAT(complaint("date,asset,price\n2024-01-02,A,1\n2024-01-03,A,1\n2024-01-03,A,2\n"),
              HasSubstr("line 4, column date: 2024-01-03 comes twice"));
  EXPECT_THAT(complaint("date,asset,price\n2024-01-02,,1\n"), HasSubstr("line 2, column asset: the asset is missing"));
  EXPECT_THAT(complaint("date,volume\n2024-01-02,1\n"), HasSubstr("no price column"));
  EXPECT_THAT(complaint("date\n2024-01-02\n"), HasSubstr("no price column"));
}

TEST(RatesFolder, ReadsCurrenciesFromTheNames) {
  const Folder folder;
  folder.write("rates/MRD.csv", "date,rate\n2024-01-02,1.35\n");
  folder.write("rates/USX-MRD.csv", "rate,date\n0.9,2024-01-02\n");
  const auto rates = read_rates(folder / "rates");
  ASSERT_EQ(rates.size(), 2u);
  EXPECT_EQ(rates[0].from + rates[0].to, "MRD") << "in the base currency, whichever that is";
  EXPECT_EQ(rates[1].from + rates[1].to, "USXMRD");
  EXPECT_THAT(rates[1].rates, ElementsAre(0.9));
  folder.write("bad/MRD.csv", "date,rate\n2024-01-02,-1\n");
  EXPECT_THAT(message_of([&] { read_rates(folder / "bad"); }),
              HasSubstr("MRD.csv, line 2, column rate: the rate is -1"));
  folder.write("odd/MRD.csv", "date,price\n2024-01-02,1\n");
  EXPECT_THAT(message_of([&] { read_rates(folder / "odd"); }), HasSubstr("no column rate"));
}

// Else which of the two counts hangs on the reader, and nothing is said.
TEST(Headings, ThatComeTwiceAreRefusedInEveryKindOfFile) {
  const Folder folder;
  const auto complaint = [&](const std::string& text, auto read) {
    const auto path = folder.write("MRD.csv", text);
    return message_of([&] { (void)read(path); });
  };
  const auto tags = [](const auto& path) { return read_tags(path); };
  const auto weights = [](const auto& path) { return read_weights(path); };
  const auto current = [](const auto& path) { return read_current(path); };
  const auto rates = [](const auto& path) { return read_rates(path); };
  const auto prices = [](const auto& path) { return read_prices(path); };
  const auto members = [](const auto& path) { return read_members(path, {}); };
  const auto estimate = [](const auto& path) { return read_estimate(path); };
  const auto third = [](const char* name) {
    return HasSubstr("MRD.csv, line 1, column 3: '" + std::string(name) + "' comes twice");
  };
  EXPECT_THAT(complaint("code,sector,Sector\nA,sea,land\n", tags), third("Sector"));
  EXPECT_THAT(complaint("code,sector,code\nA,sea,B\n", tags), third("code"));
  EXPECT_THAT(complaint("asset,weight,weight\nA,100%,90%\n", weights), third("weight"));
  EXPECT_THAT(complaint("asset,weight,Weight\nA,100%,90%\n", current), third("Weight"));
  EXPECT_THAT(complaint("asset,units,units\nA,100,90\n", current), third("units"));
  EXPECT_THAT(complaint("date,rate,rate\n2024-01-02,1,2\n", rates), third("rate"));
  EXPECT_THAT(complaint("date,A,Date\n2024-01-02,1,2\n", prices), third("Date"));
  EXPECT_THAT(complaint("code,name,code\nA,x,B\n", members), third("code"));
  EXPECT_THAT(complaint("asset,expected return,volatility,A,A\nA,5%,10%,1,1\n", estimate),
              HasSubstr("line 1, column 5: 'A' comes twice"));
  // Codes and portfolios are others where more than case differs.
  EXPECT_EQ(read_weights(folder.write("w.csv", "asset,low risk,low-risk\nA,100%,90%\n")).size(), 2u);
  EXPECT_EQ(read_tags(folder.write("t.csv", "code,asset class,asset-class\nA,x,y\n")).columns.size(), 2u);
}

TEST(TagsFile, HasOneRowAnAsset) {
  const Folder folder;
  const auto tags = read_tags(folder.write("tags.csv", "code,sector,yield\nKELPFARM,food,2.6\nAMBERFND,metals,\n"));
  EXPECT_EQ(tags.value("kelpfarm", "Sector"), "food");
  EXPECT_FALSE(tags.value("AMBERFND", "yield"));
  EXPECT_FALSE(tags.value("AMBERFND", "currency"));
  EXPECT_TRUE(tags.has("sector", "METALS"));
  EXPECT_THAT(message_of([&] { read_tags(folder.write("t.csv", "name\nx\n")); }), HasSubstr("no code column"));
  EXPECT_THAT(message_of([&] { read_tags(folder.write("t.csv", "code\nx\nX\n")); }),
              HasSubstr("line 3, column code: X comes twice"));
}

TEST(WeightsFile, HoldsOneOrSeveralPortfolios) {
  const Folder folder;
  const auto one = read_weights(folder.write("held.csv", "asset,weight\nKELPFARM,60%\nHOLLBOND,40%\n"));
  ASSERT_EQ(one.size(), 1u);
  EXPECT_EQ(one[0].name, "held");
  EXPECT_THAT(one[0].weights, ElementsAre(0.6, 0.4));
  const auto two = read_weights(folder.write("w.csv", "code,now,then\nKELPFARM,60%,\nHOLLBOND,40%,100%\n"));
  EXPECT_EQ(two[1].name, "then");
  EXPECT_THAT(two[1].assets, ElementsAre("HOLLBOND"));
  EXPECT_THAT(message_of([&] { read_weights(folder.write("w.csv", "asset,weight\nKELPFARM,0.6\n")); }),
              HasSubstr("line 2, column weight: '0.6' has no % sign. Write 0.6% or 60%"));
  EXPECT_THAT(message_of([&] { read_weights(folder.write("w.csv", "asset,weight\nA,1%\nA,1%\n")); }),
              HasSubstr("A comes twice"));
  EXPECT_THAT(message_of([&] { read_weights(folder.write("w.csv", "asset\nA\n")); }),
              HasSubstr("Give a column 'asset'"));
  EXPECT_THAT(message_of([&] { read_weights(folder.write("w.csv", "asset,weight\n")); }),
              HasSubstr("it holds no weight"));
}

Estimate estimate_from(const std::string& text) {
  const Folder folder;
  return read_estimate(folder.write("estimate.json", text));
}

TEST(EstimateFile, TakesTheFieldsAtTheTopOrUnderResult) {
  const std::string fields =
      R"("assets":["A","B"],"expected_return":[0.05,0.08],"covariance":[[0.04,0.01],[0.01,0.09]],"risk_free":0.01)";
  for (const auto& text : {"{" + fields + "}", R"({"format":1,"result":{)" + fields + "}}"}) {
    const auto estimate = estimate_from(text);
    EXPECT_THAT(estimate.assets, ElementsAre("A", "B"));
    EXPECT_EQ(estimate.covariance.between(0, 1), 0.01);
    EXPECT_EQ(estimate.risk_free, 0.01);
  }
}

TEST(EstimateFile, TakesFactors) {
  const auto estimate = estimate_from(
      R"({"assets":["A","B"],"expected_return":[0.05,0.08],"loadings":[[1],[2]],"factor_covariance":[[0.04]],
          "specific_variance":[0.01,0.02]})");
  EXPECT_NEAR(estimate.covariance.between(0, 1), 0.08, 1e-16);
  EXPECT_NEAR(estimate.covariance.variance(1), 0.18, 1e-16);
}

TEST(EstimateFile, NamesTheFieldThatIsWrong) {
  const auto complaint = [](const std::string& text) { return message_of([&] { estimate_from(text); }); };
  const std::string start = R"({"assets":["A","B"],"expected_return":[0.05,0.08],)";
  EXPECT_THAT(complaint("{"), HasSubstr("estimate.json, line 1: it is not JSON"));
  EXPECT_THAT(complaint("[]"), HasSubstr("it holds no estimate"));
  EXPECT_THAT(complaint("{}"), HasSubstr("field assets: it is missing"));
  EXPECT_THAT(complaint(start + R"("x":1})"), HasSubstr("field covariance: it is missing"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1,0],[0]]})"), HasSubstr("row 2 has 1 figures, row 1 has 2"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1,null],[0,1]]})"), HasSubstr("null is not a number"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1,0.5],[0.4,1]]})"), HasSubstr("not symmetric"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1,2],[2,1]]})"), HasSubstr("not positive semidefinite"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1]]})"),
              HasSubstr("2 assets, 2 expected returns and a covariance of 1"));
  EXPECT_THAT(complaint(start + R"("covariance":[[1,0],[0,1]],"returns":"tidal"})"),
              HasSubstr("field returns: there are no 'tidal' returns"));
  EXPECT_THAT(complaint(R"({"assets":["A","a"],"expected_return":[0,0],"covariance":[[1,0],[0,1]]})"),
              HasSubstr("it comes twice"));
}

TEST(EstimateFile, KnowsLogReturns) {
  const auto estimate =
      estimate_from(R"({"assets":["A"],"expected_return":[0.05],"covariance":[[0.04]],"returns":"log"})");
  EXPECT_EQ(estimate.returns, ReturnKind::log);
}

Estimate sheet_from(const std::string& text) {
  const Folder folder;
  folder.write("estimate.csv", text);
  return read_estimate(folder / "estimate.csv");
}

TEST(EstimateSheet, IsReadBackAsItWasWritten) {
  Estimate estimate;
  estimate.assets = {"TIDEMILL", "BB,A", "CASH"};
  estimate.expected_return = Eigen::Vector3d(0.0723, -0.01, 0.02);
  Eigen::Matrix3d s;
  s << 0.04, 0.012, 0, 0.012, 0.09, 0, 0, 0, 0;
  estimate.covariance = Covariance::dense(s);
  const auto again = sheet_from(estimate_sheet(estimate));
  EXPECT_EQ(again.assets, estimate.assets);
  EXPECT_LT((again.expected_return - estimate.expected_return).norm(), 1e-15);
  EXPECT_LT((again.covariance.matrix() - s).norm(), 1e-15);
}

TEST(EstimateSheet, HalfOfTheCorrelationsIsEnough) {
  const auto estimate = sheet_from(
      "Code;Volatility;Expected return;A;B\n"
      "A;20%;8%;;\n"
      "B;30%;9%;0.5;1\n");
  EXPECT_NEAR(estimate.covariance.between(0, 1), 0.03, 1e-16);
  EXPECT_NEAR(estimate.expected_return[1], 0.09, 1e-16);
}

TEST(EstimateSheet, NamesLineAndColumnOfWhatIsWrong) {
  const auto complaint = [](const std::string& text) { return message_of([&] { sheet_from(text); }); };
  const std::string header = "asset,expected return,volatility,A,B\n";
  EXPECT_THAT(complaint("asset,volatility\nA,1%\n"), HasSubstr("line 1: there is no column 'expected return'"));
  EXPECT_THAT(complaint(header + "A,0.08,20%,1,\n"),
              AllOf(HasSubstr("line 2, column expected return"), HasSubstr("no % sign")));
  EXPECT_THAT(complaint(header + "A,8%,-20%,1,\n"), HasSubstr("column volatility: it is below 0"));
  EXPECT_THAT(complaint(header + "A,8%,20%,1,1.5\nB,8%,20%,,1\n"),
              HasSubstr("line 2, column B: '1.5' is not a correlation"));
  EXPECT_THAT(complaint(header + "A,8%,20%,1,\nB,8%,20%,,1\n"), HasSubstr("the correlation of A with B is missing"));
  EXPECT_THAT(complaint(header + "A,8%,20%,1,0.2\nB,8%,20%,0.3,1\n"), HasSubstr("0.2 here and 0.3 across"));
  EXPECT_THAT(complaint(header + "A,8%,20%,0.9,0.2\nB,8%,20%,0.2,1\n"), HasSubstr("A with itself is 0.9"));
  EXPECT_THAT(complaint(header + "A,8%,20%,1,0.2\n"), HasSubstr("column B: no row has an asset of this name"));
  EXPECT_THAT(complaint("asset,expected return,volatility,A\nA,8%,20%,1\nB,8%,20%,0.2\n"),
              HasSubstr("line 3: B has no column of correlations"));
  EXPECT_THAT(complaint("asset,expected return,volatility,A,B,C\n"
                        "A,8%,20%,1,0.9,0.9\nB,8%,20%,,1,-0.9\nC,8%,20%,,,1\n"),
              HasSubstr("not positive semidefinite"));
}

TEST(Files, AreWrittenWholeOrNotAtAll) {
  const Folder folder;
  write_text_file(folder / "deep/er/file.txt", "hello");
  EXPECT_EQ(read_text_file(folder / "deep/er/file.txt"), "hello");
  folder.write("plain", "in the way");
  EXPECT_THROW(write_text_file(folder / "plain/file.txt", "x"), OutsideFailure);
  EXPECT_THROW(write_text_file(folder / "deep", "x"), OutsideFailure);  // a folder has this name
  std::size_t left = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder.path()))
    left += entry.is_regular_file();
  EXPECT_EQ(left, 2u) << "no temporary file stays behind";
  EXPECT_THAT(message_of([&] { read_text_file(folder / "deep"); }), HasSubstr("this is a folder"));
}

TEST(Csv, QuotesCellsThatNeedIt) {
  EXPECT_EQ(csv_cell("plain"), "plain");
  EXPECT_EQ(csv_cell("a,b"), "\"a,b\"");
  EXPECT_EQ(csv_cell("say \"x\""), "\"say \"\"x\"\"\"");
}

}  // namespace
}  // namespace inchtide::exchange
