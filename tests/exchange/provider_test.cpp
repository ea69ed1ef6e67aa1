#include "inchtide/exchange/provider.hpp"

#include <fmt/format.h>
#include <malloc.h>

#include <cmath>
#include <fstream>
#include <functional>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/http.hpp"
#include "support/messages.hpp"

namespace inchtide::exchange {
namespace {

using test::message_of;
using testing::ElementsAre;
using testing::HasSubstr;

Provider pier() {
  Provider provider{"pier"};
  provider.url = "http://127.0.0.1:1";
  provider.path = "/h/{asset}?from={from}&to={to}&a={from_seconds}&b={to_seconds}&e={every}";
  provider.days = "/s/days";
  provider.fields[std::size_t(PriceField::close)] = "/s/close";
  return provider;
}

BarHistory read(const Provider& provider, const std::string& body) {
  return bars_from_answer(provider, "TIDEMILL", body);
}

std::string complaint(const std::string& body, Provider provider = pier()) {
  return message_of([&] { read(provider, body); });
}

TEST(ProviderAnswer, HasArraysAtPointers) {
  auto provider = pier();
  provider.fields[std::size_t(PriceField::volume)] = "/s/o~1d/0";
  const auto bars =
      read(provider,
           R"({"s":{"days":["2024-03-05","2024-03-04","2024-03-06"],"close":[11,10.5,null],"o/d":[[7,null,null]]}})");
  EXPECT_THAT(bars.days, ElementsAre(*parse_day("2024-03-04"), *parse_day("2024-03-05")));  // sorted; no figure: no row
  EXPECT_THAT(bars.of(PriceField::close), ElementsAre(10.5, 11));
  EXPECT_TRUE(std::isnan(bars.of(PriceField::volume)[0]));
}

TEST(ProviderAnswer, SecondsAreDaysAtTheExchange) {
  // 2024-03-04 23:30 UTC is the 5th an hour or more east of Greenwich. Oslo is one hour ahead in winter, two in summer.
  auto provider = pier();
  provider.seconds = true;
  const std::string winter = R"({"s":{"days":[1709595000],"close":[1]}})";
  const auto day_of = [&](const char* zone, const std::string& body) {
    provider.zone = zone;
    return to_string(read(provider, body).days[0]);
  };
  EXPECT_EQ(day_of("UTC", winter), "2024-03-04");
  EXPECT_EQ(day_of("+00:30", winter), "2024-03-05");
  EXPECT_EQ(day_of("-05:00", winter), "2024-03-04");
  EXPECT_EQ(day_of("Europe/Oslo", winter), "2024-03-05");
  const std::string summer = R"({"s":{"days":[1719871200],"close":[1]}})";  // 2024-07-01 22:00 UTC
  EXPECT_EQ(day_of("Europe/Oslo", summer), "2024-07-02");
  EXPECT_EQ(day_of("+01:00", summer), "2024-07-01");
  EXPECT_EQ(day_of("UTC", R"({"s":{"days":[-1],"close":[1]}})"), "1969-12-31");
  provider.zone = "Middle/Earth";
  EXPECT_THAT(complaint(winter, provider), HasSubstr("there is no time zone 'Middle/Earth'"));
}

TEST(ProviderAnswer, ThatIsWrongSaysWhere) {
  const auto with = [](const char* days, const char* close) {
    return std::string(R"({"s":{"days":)") + days + R"(,"close":)" + close + "}}";
  };
  EXPECT_THAT(complaint("<html>\nno"), HasSubstr("provider pier, TIDEMILL: the answer is not JSON: '<html>'"));
  EXPECT_THAT(complaint("{}"), HasSubstr("the answer has nothing at /s/days"));
  EXPECT_THAT(complaint(with("{}", "[]")), HasSubstr("/s/days is no array"));
  EXPECT_THAT(complaint(with(R"(["2024-03-04"])", "[1,2]")), HasSubstr("/s/days has 1 entries, /s/close has 2"));
  EXPECT_THAT(complaint(with(R"(["2024-03-04"])", R"(["1"])")), HasSubstr("/s/close/0: \"1\" is not a figure"));
  EXPECT_THAT(complaint(with("[5]", "[1]")), HasSubstr("Set days_are = \"seconds\""));
  EXPECT_THAT(complaint(with(R"(["soon"])", "[1]")), HasSubstr("/s/days/0: 'soon' is not a day"));
  EXPECT_THAT(complaint(with(R"(["2024-03-04"])", "[0]")), HasSubstr("the close on 2024-03-04 is 0"));
  EXPECT_THAT(complaint(with(R"(["2024-03-04","2024-03-04"])", "[1,2]")), HasSubstr("2024-03-04 comes twice"));
  EXPECT_THAT(complaint(with("[]", "[]")), HasSubstr("the answer has no row"));
  EXPECT_THAT(complaint(with(R"(["2024-03-04"])", "[null]")), HasSubstr("the answer has no row"));
  auto provider = pier();
  provider.days = "no slash";
  EXPECT_THAT(complaint("{}", provider), HasSubstr("'no slash' is not a JSON Pointer"));
  provider = pier();
  provider.seconds = true;
  EXPECT_THAT(complaint(with("[1e300]", "[1]"), provider), HasSubstr("is not a number of seconds"));
}

TEST(ProviderAnswer, MayBeCsvByColumnName) {
  auto provider = pier();
  provider.csv = true;
  provider.days = "Day";
  provider.fields[std::size_t(PriceField::close)] = "Last";
  EXPECT_THAT(read(provider, "Last,Day\n5,2024-03-04\n,2024-03-05\n6,2024-03-06\n").of(PriceField::close),
              ElementsAre(5, 6));
  provider.seconds = true;
  provider.zone = "+00:30";
  EXPECT_THAT(read(provider, "Day,Last\n1709595000,5\n").days, ElementsAre(*parse_day("2024-03-05")));
  EXPECT_THAT(complaint("Day,Last\nsoon,5\n", provider), HasSubstr("line 2, column Day: 'soon' is not a day"));
  provider.seconds = false;
  EXPECT_THAT(complaint("Day,Close\n", provider),
              HasSubstr("provider pier, TIDEMILL, line 1: no column 'Last': the header has Day, Close"));
  EXPECT_THAT(complaint("Day,Last\n2024-03-04,x\n", provider), HasSubstr("line 2, column Last: 'x' is not a number"));
  EXPECT_THAT(complaint("Day,Last\n", provider), HasSubstr("it holds no price"));
}

TEST(Provider, AddressesAreMadeFromTheTemplate) {
  EXPECT_EQ(history_url(pier(), "A&B/1", *parse_day("2024-03-04"), *parse_day("2024-03-05")),
            "http://127.0.0.1:1/h/A%26B%2F1?from=2024-03-04&to=2024-03-05&a=1709510400&b=1709683200&e=1d");
}

TEST(Provider, KeysComeFromTheEnvironmentAndTravelEncrypted) {
  auto provider = pier();
  const auto nothing = [](const std::string&) { return std::optional<std::string>(); };
  const auto secret = [](const std::string&) { return std::optional<std::string>("s3cret"); };
  EXPECT_TRUE(key_headers(provider, secret).empty());
  provider.key_header = "X-Key";
  provider.key_env = "PIER_KEY";
  EXPECT_THAT(key_headers(provider, secret), ElementsAre("X-Key: s3cret"));
  EXPECT_THAT(message_of([&] { key_headers(provider, nothing); }),
              HasSubstr("the environment variable PIER_KEY is not set"));
  provider.url = "http://prices.example";
  const auto refused = message_of([&] { key_headers(provider, secret); });
  EXPECT_THAT(refused, HasSubstr("the key would travel unencrypted"));
  EXPECT_THAT(refused, testing::Not(HasSubstr("s3cret")));
  provider.url = "https://prices.example";
  EXPECT_EQ(key_headers(provider, secret).size(), 1u);
  const auto injected = [](const std::string&) { return std::optional<std::string>("a\r\nX-Other: b"); };
  EXPECT_THAT(message_of([&] { key_headers(provider, injected); }), HasSubstr("has a line end"));
}

TEST(Loopback, IsTheHostAndNothingThatLooksLikeIt) {
  for (const char* url : {"http://127.0.0.1", "http://127.1.2.3:8014/x", "http://localhost:80", "http://LOCALHOST/",
                          "http://[::1]:8014/v1"}) {
    EXPECT_TRUE(is_loopback(url)) << url;
  }
  for (const char* url : {"http://127.example", "http://127.0.0.1.example/", "http://localhost.example",
                          "http://127.0.0.1@other.example/", "http://localhost:x@other.example/", "http://[::1",
                          "http://128.0.0.1", "http://[::2]/", "http://other.example/127.0.0.1", ""}) {
    EXPECT_FALSE(is_loopback(url)) << url;
  }
}

TEST(Key, IsTakenOutOfWhatAServerSays) {
  const HttpClient client({}, {"X-Key: s3cret"});
  EXPECT_EQ(client.without_secrets("bad key s3cret, s3cret"), "bad key ***, ***");
  EXPECT_EQ(client.without_secrets("nothing"), "nothing");
}

TEST(Http, SettingsAreWithinReason) {
  for (double seconds : {0.0, 0.0001, -1.0, double(NAN), 1e300}) {
    HttpSettings settings;
    settings.timeout_seconds = seconds;
    EXPECT_THROW(HttpClient(settings, {}), InputError) << seconds;
  }
  HttpSettings settings;
  settings.requests_per_second = NAN;
  EXPECT_THROW(HttpClient(settings, {}), InputError);
}

TEST(Provider, IsCheckedBeforeItIsAsked) {
  const auto missing = [](auto change) {
    auto provider = pier();
    change(provider);
    return message_of([&] { provider.check(); });
  };
  EXPECT_EQ(missing([](Provider&) {}), "nothing was thrown");
  EXPECT_THAT(missing([](Provider& p) { p.url = ""; }), HasSubstr("providers.pier: url is missing"));
  EXPECT_THAT(missing([](Provider& p) { p.path = "/all"; }), HasSubstr("path has no {asset}"));
  EXPECT_THAT(missing([](Provider& p) { p.days = ""; }), HasSubstr("days is missing"));
  EXPECT_THAT(missing([](Provider& p) { p.fields = {}; }), HasSubstr("close is missing"));
  EXPECT_THAT(missing([](Provider& p) { p.key_env = "K"; }), HasSubstr("key_header is missing"));
  EXPECT_THAT(missing([](Provider& p) { p.zone = "+2"; }), HasSubstr("there is no time zone '+2'"));
  EXPECT_THAT(missing([](Provider& p) { p.parallel = 0; }), HasSubstr("parallel is 0"));
}

TEST(CodeMap, GoesBothWaysBySchemeAndSuffix) {
  const Tags identifiers{{"exchange_code", "security_number"},
                         {"TIDEMILL", "MARROWGL", "NEWCOMER"},
                         {{"TDM", "410027"}, {"MGW", "720045"}, {"", "9"}}};
  const Tags tags{{"currency"}, {"TIDEMILL", "MARROWGL"}, {{"HLC"}, {"MRD"}}};
  auto provider = pier();
  provider.scheme = "exchange_code";
  provider.suffix = ".HX";
  provider.suffixes = {{"currency:MRD", ".MX"}};
  const CodeMap codes(provider, identifiers, tags);
  EXPECT_EQ(codes.code_of("TIDEMILL"), "TDM.HX");
  EXPECT_EQ(codes.code_of("MARROWGL"), "MGW.MX");
  EXPECT_FALSE(codes.code_of("NEWCOMER"));
  for (const char* code : {"TDM.HX", "tdm", "410027", "Tidemill"}) EXPECT_EQ(codes.asset_of(code), "TIDEMILL") << code;
  EXPECT_FALSE(codes.asset_of("MGW.HX"));
  provider.scheme = "exchnge_code";
  EXPECT_THAT(message_of([&] { CodeMap(provider, identifiers, tags); }),
              HasSubstr("the identifiers have no column 'exchnge_code'. Did you mean 'exchange_code'?"));
  provider.scheme = "";
  const CodeMap own(provider, {}, {});
  EXPECT_EQ(own.code_of("TIDEMILL"), "TIDEMILL.HX");
  EXPECT_EQ(own.asset_of("TIDEMILL.HX"), "TIDEMILL");
}

TEST(Provider, ListsAndErrorsAreReadByPointer) {
  auto provider = pier();
  provider.members = "/m";
  provider.message = "/error/text";
  EXPECT_THAT(members_from_answer(provider, "all", R"({"m":["TDM.HX",410027]})"), ElementsAre("TDM.HX", "410027"));
  EXPECT_THAT(message_of([&] { members_from_answer(provider, "all", R"({"m":[]})"); }), HasSubstr("names no member"));
  EXPECT_THAT(message_of([&] { members_from_answer(provider, "all", R"({"m":[{}]})"); }),
              HasSubstr("an object is no code"));
  EXPECT_EQ(words_of_error(provider, R"({"error":{"text":"closed today"}})"), "closed today");
  EXPECT_EQ(words_of_error(provider, "Bad gateway\nmore"), "Bad gateway");
}

TEST(ProviderAnswer, MayHaveOneArrayForTwoFieldsAndNamesThatComeTwice) {
  auto provider = pier();
  provider.fields[std::size_t(PriceField::adjusted_close)] = "/s/close";
  // Of a name that comes twice the last counts, as in most readers.
  const auto bars = read(provider, R"({"x":{"days":[1]},"s":{"days":["2020-01-01","2020-01-02","2020-01-03"],)"
                                   R"("close":[3],"days":["2024-03-04","2024-03-05"],"close":[10,11]},"days":[]})");
  EXPECT_THAT(bars.days, ElementsAre(*parse_day("2024-03-04"), *parse_day("2024-03-05")));
  EXPECT_THAT(bars.of(PriceField::close), ElementsAre(10, 11));
  EXPECT_THAT(bars.of(PriceField::adjusted_close), ElementsAre(10, 11));
  EXPECT_THAT(complaint(R"({"s":{"days":["2024-03-04"],"close":[{"a":1}]}})"), HasSubstr("an object is not a figure"));
  EXPECT_THAT(complaint(R"({"s":{"days":["2024-03-04"],"close":{"0":1}}})"), HasSubstr("/s/close is no array"));
  EXPECT_THAT(complaint(R"({"s":[{"days":1}]})"), HasSubstr("has nothing at /s/days"));
  EXPECT_THAT(complaint(R"({"s":{"days":["2024-03-04"],"close":[1e999]}})"), HasSubstr("is not JSON"));
}

#ifndef INCHTIDE_SANITIZE  // which keeps memory that was given back
/// By how many KiB an action raises the most that the process has held.
long raised_by(const std::function<void()>& action) {
  const auto held = [](const char* what) {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);) {
      if (line.starts_with(what)) return std::stol(line.substr(line.find_first_of("0123456789")));
    }
    return -1L;
  };
  malloc_trim(0);
  std::ofstream("/proc/self/clear_refs") << 5;  // the most is counted from here
  const long before = held("VmRSS:");
  action();
  return held("VmHWM:") - before;
}

TEST(ProviderAnswer, TakesAtMostFourTimesItsBytes) {
  auto provider = pier();
  provider.fields[std::size_t(PriceField::volume)] = "/s/volume";
  const auto long_one = [](std::size_t rows, const std::function<std::string(std::size_t)>& day, const char* figure) {
    std::string body = R"({"s":{"days":[)";
    for (std::size_t row = 0; row < rows; ++row) body += (row > 0 ? "," : "") + day(row);
    for (const char* name : {"close", "volume"}) {
      body += fmt::format(R"(],"{}":[)", name);
      for (std::size_t row = 0; row < rows; ++row) body += (row > 0 ? "," : "") + std::string(figure);
    }
    return body + "]}}";
  };
  const auto iso = [](std::size_t row) { return '"' + to_string(Day{std::chrono::days{row}}) + '"'; };
  const auto times = [](const std::string& body, long kib) { return 1024.0 * double(kib) / double(body.size()); };
  const auto plain = long_one(400'000, iso, "12.25");
  EXPECT_LT(times(plain, raised_by([&] { EXPECT_EQ(read(provider, plain).days.size(), 400'000u); })), 4);
  // Backwards, so that it is sorted.
  const auto turned = long_one(
      400'000, [&](std::size_t row) { return iso(399'999 - row); }, "12.25");
  EXPECT_LT(times(turned, raised_by([&] { EXPECT_EQ(read(provider, turned).days.front(), Day{}); })), 4);
  // Hostile ones: what they say is refused before there is room for it.
  const auto tiny = long_one(
      5'000'000, [](std::size_t) { return std::string("1"); }, "1");
  provider.seconds = true;
  EXPECT_LT(
      times(tiny, raised_by([&] { EXPECT_THAT(complaint(tiny, provider), HasSubstr("more than there are days")); })),
      4);
  const std::string name(12'000'000, 'k');
  const auto named = "{\"" + name + "\":{\"" + name + "\":[]}}";
  EXPECT_LT(times(named, raised_by([&] { EXPECT_THAT(complaint(named), HasSubstr("has nothing at /s/days")); })), 4);
  std::string nested;
  for (int k = 0; k < 5'000'000; ++k) nested += "{},";
  nested = "[" + nested + "0]";
  EXPECT_LT(times(nested, raised_by([&] { EXPECT_THAT(complaint(nested), HasSubstr("has nothing at /s/days")); })), 4);
}
#endif

}  // namespace
}  // namespace inchtide::exchange
