// `inchtide gather` as a process: from files, and from the stand-in provider over loopback with its faults.

#include <sqlite3.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/http.hpp"
#include "inchtide/exchange/store.hpp"
#include "support/gathering.hpp"

namespace inchtide::test::gathering {
namespace {

using exchange::PriceStore;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

TEST(GatherFiles, FillsAStoreThatReadsLikeTheFiles) {
  const Folder folder;
  const auto store = (folder / "deep/p.store").string();
  const auto first = assets_in(gather("--prices " + prices + " --store " + store + " --json -"));
  ASSERT_EQ(first.size(), 17u);
  for (const auto& [asset, row] : first) {
    EXPECT_EQ(row["new"], rows_of(asset));
    EXPECT_TRUE(row["error"].is_null());
  }
  const auto again = assets_in(gather("--prices " + prices + " --store " + store + " --json -"));
  EXPECT_EQ(again.at("KELPFARM")["unchanged"], rows_of("KELPFARM"));
  EXPECT_EQ(again.at("KELPFARM")["new"], 0);
  for (const std::string command : {"describe", "inspect --on 2024-05-03", "frontier"}) {
    const auto result = [&](const std::string& source) {
      const auto said = run(tool + " " + command + " --json - --assets KELPFARM,TIDEMILL,HOLLBOND --prices " + source);
      return json::parse(said.out)["result"];
    };
    EXPECT_EQ(result(store), result(prices)) << command;
  }
}

TEST(GatherFiles, OneBadAssetDoesNotCostTheOthers) {
  const Folder folder;
  folder.write("f/GOOD.csv", "date,close\n2024-01-30,1\n2024-01-31,2\n");
  folder.write("f/BAD.csv", "date,close\n2024-01-30,1\n2024-01-31,two\n");
  const auto command = "--prices " + (folder / "f").string() + " --store " + (folder / "p.store").string();
  const auto said = gather(command);
  EXPECT_EQ(said.code, 4);
  EXPECT_THAT(said.out, AllOf(HasSubstr("BAD.csv, line 3, column close: 'two' is not a number"),
                              HasSubstr("1 of 2 assets gathered")));
  EXPECT_EQ(gather(command + " --quiet --csv " + (folder / "tables").string()).code, 4);
  EXPECT_THAT(text_of(folder / "tables/failures.csv"), HasSubstr("is not a number"));
  folder.write("f/BAD.csv", "date,close\n2024-01-30,1\n2024-01-31,2\n");
  EXPECT_EQ(gather(command).code, 0);
  EXPECT_EQ(gather(command + " --assets NOBODY").code, 1);
  EXPECT_EQ(gather("--prices " + (folder / "f").string()).code, 1) << "no store was named";
  EXPECT_EQ(gather("--store " + (folder / "p.store").string()).code, 1) << "nothing to gather from";
}

TEST(GatherFiles, TakesWideAndLongFilesAndAWindow) {
  const Folder folder;
  const auto wide = folder.write("wide.csv", "date;A;B\n30.01.2024;1,5;\n31.01.2024;1,6;20\n01.02.2024;1,7;21\n");
  const auto said = gather("--prices " + wide.string() + " --store " + (folder / "p.store").string() +
                           " --dates day-first --decimal comma --from 2024-01-31 --json -");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_EQ(assets_in(said).at("A")["new"], 2);
  EXPECT_EQ(PriceStore(folder / "p.store", PriceStore::Access::read).bars("A")->of(PriceField::price)[0], 1.6);
}

TEST(GatherPier, FetchesListsMapsCodesAndTopsUp) {
  const Folder folder;
  {
    const Pier pier({"--key", "crab", "--until", "2025-06-30"});
    mandate_for(folder, pier.url());
    const auto said = gather(from_pier(folder, "--list hollin --json -"), key);
    EXPECT_EQ(said.code, 0) << said.err;
    EXPECT_EQ(assets_in(said).size(), 15u);
    EXPECT_EQ(assets_in(said).at("TIDEMILL")["to"], "2025-06-30");
  }
  const Pier pier({"--key", "crab"});
  mandate_for(folder, pier.url());
  const auto said = gather(from_pier(folder, "--list all --json -"), key);
  EXPECT_EQ(said.code, 0) << said.err;
  const auto assets = assets_in(said);
  ASSERT_EQ(assets.size(), 17u);
  for (const auto& [asset, row] : assets) {
    const bool is_new = asset.starts_with("MARROW");
    EXPECT_EQ(row["to"], "2025-12-31");
    EXPECT_EQ(row["changed"], 0) << asset;
    if (is_new) {
      EXPECT_EQ(row["new"], rows_of(asset));
    } else {
      EXPECT_LT(row["new"].get<int>() + row["unchanged"].get<int>(), 150) << "only a top-up with its overlap";
      EXPECT_GT(row["unchanged"], 0);
    }
  }
  // What is stored is what the files hold, to the last figure.
  const auto stored = exchange::read_bars(folder / "p.store"), files = exchange::read_bars(prices);
  ASSERT_EQ(stored.size(), files.size());
  for (std::size_t i = 0; i < files.size(); ++i) {
    EXPECT_EQ(stored[i].days, files[i].days);
    EXPECT_EQ(stored[i].fields, files[i].fields);
  }
}

TEST(GatherPier, AnAdjustedHistoryIsFetchedInFull) {
  const Folder folder;
  {
    const Pier pier({"--until", "2025-06-30"});
    mandate_for(folder, pier.url());
    ASSERT_EQ(gather(from_pier(folder, "--assets KELPFARM,TIDEMILL"), key).code, 0);
  }
  const Pier pier({"--fault", "adjusted:KELPFARM"});
  mandate_for(folder, pier.url());
  const auto said = gather(from_pier(folder, "--assets KELPFARM,TIDEMILL --json -"), key);
  const auto assets = assets_in(said);
  EXPECT_THAT(assets.at("KELPFARM")["note"].get<std::string>(), HasSubstr("adjusted closes changed"));
  EXPECT_TRUE(assets.at("TIDEMILL")["note"].is_null());
  const auto stored = *PriceStore(folder / "p.store", PriceStore::Access::read).bars("KELPFARM");
  const auto file = exchange::read_bars(prices + "/KELPFARM.csv")[0];
  EXPECT_EQ(stored.days, file.days);
  for (std::size_t t = 0; t < file.days.size(); ++t) {
    ASSERT_EQ(stored.of(PriceField::adjusted_close)[t], file.of(PriceField::adjusted_close)[t] / 2);
    ASSERT_EQ(stored.of(PriceField::close)[t], file.of(PriceField::close)[t]);
  }
}

TEST(GatherPier, InFullReplacesWhatTheProviderDoesNotHave) {
  const Folder folder;
  const Pier pier({"--key", "crab"});
  mandate_for(folder, pier.url());
  const auto fill = [&](const std::string& more) {
    return gather(from_pier(folder, "--assets KELPFARM --json - --quiet " + more), key);
  };
  ASSERT_EQ(fill("").code, 0);
  const auto days = [&] {
    return std::vector<Day>(PriceStore(folder / "p.store", PriceStore::Access::read).bars("KELPFARM")->days);
  };
  const auto served = days();
  BarHistory stray{"KELPFARM"};
  stray.days = std::vector<Day>{*parse_day("2024-01-06")};  // a Saturday
  stray.of(PriceField::close) = {1};
  PriceStore(folder / "p.store", PriceStore::Access::write).put(stray, "by hand");
  ASSERT_EQ(fill("").code, 0);
  EXPECT_EQ(days().size(), served.size() + 1) << "a top-up takes nothing away";
  ASSERT_EQ(fill("--in-full").code, 0);
  EXPECT_EQ(days(), served);
}

TEST(GatherPier, RowsAfterTheLastDayAskedForAreRefused) {
  const Folder folder;
  const Pier pier({"--key", "crab"});
  auto text = text_of(mandate_for(folder, pier.url()));
  text.replace(text.find("&to={to}"), 8, "&to=2025-12-31");
  folder.write("mandate.toml", text);
  const auto said = gather(from_pier(folder, "--wide --assets KELPFARM --to 2024-06-28"), key);
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.out + said.err, AllOf(HasSubstr("2025-12-"), HasSubstr("after the last day asked for, 2024-06-28")));
}

TEST(GatherPier, OlderDaysThanTheProviderServesAreKeptAtTheNewLevel) {
  const Folder folder;
  ASSERT_EQ(gather("--prices " + prices + "/KELPFARM.csv --store " + (folder / "p.store").string()).code, 0);
  const Pier pier({"--fault", "adjusted:KELPFARM"});
  mandate_for(folder, pier.url());
  // Stored from 2018 on; the provider is asked from the stored beginning, which it serves, so nothing older is left.
  const auto said = gather(from_pier(folder, "--assets KELPFARM --json -"), key);
  EXPECT_EQ(said.code, 0) << said.err;
  const auto stored = *PriceStore(folder / "p.store", PriceStore::Access::read).bars("KELPFARM");
  EXPECT_EQ(stored.days.size(), rows_of("KELPFARM"));
  // A store that begins before the provider's history: a row of 2017 is scaled with the rest.
  BarHistory older{"KELPFARM"};
  older.days = {*parse_day("2017-12-29")};
  older.of(PriceField::close) = {30};
  older.of(PriceField::adjusted_close) = {24};
  const auto path = folder / "q.store";
  {
    PriceStore store(path, PriceStore::Access::write);
    store.put(exchange::read_bars(prices + "/KELPFARM.csv")[0], "files");
    store.put(older, "by hand");
  }
  const auto again = run(key + " " + tool + " gather --mandate " + (folder / "mandate.toml").string() + " --store " +
                         path.string() + " --assets KELPFARM --json -");
  EXPECT_THAT(assets_in(again).at("KELPFARM")["note"].get<std::string>(), HasSubstr("1 older days are kept"));
  const auto kept = *PriceStore(path, PriceStore::Access::read).bars("KELPFARM");
  EXPECT_EQ(kept.days.size(), rows_of("KELPFARM") + 1);
  EXPECT_EQ(kept.of(PriceField::adjusted_close)[0], 12);
  EXPECT_EQ(kept.of(PriceField::close)[0], 30);
}

TEST(GatherPier, FaultsOfOneAssetAreNamedAndCostNoOther) {
  const Folder folder;
  const Pier pier({"--fault", "cut:OYSTERCO", "--fault", "wrong-json:TIDEMILL", "--fault", "unequal:DREDGECO",
                   "--fault", "unknown:AMBERFND", "--fault", "empty:HOLLBOND", "--fault", "nulls:GALEWORK", "--fault",
                   "cut-once:SALVAGER"});
  mandate_for(folder, pier.url(), "retries = 2");
  const auto said = gather(from_pier(folder, "--list all --json -"), key);
  EXPECT_EQ(said.code, 4);
  const auto assets = assets_in(said);
  const auto error = [&](const char* asset) { return assets.at(asset)["error"].get<std::string>(); };
  EXPECT_THAT(error("OYSTERCO"), AllOf(HasSubstr("bytes remaining to read"), HasSubstr("after 3 tries")));
  EXPECT_THAT(error("TIDEMILL"), HasSubstr("the answer is not JSON: '<html>Come back later</html>'"));
  EXPECT_THAT(error("DREDGECO"), HasSubstr("/series/volume has"));
  EXPECT_THAT(error("HOLLBOND"), HasSubstr("the answer has no row"));
  EXPECT_THAT(error("AMBERFND"), HasSubstr("answered 404: no asset has the code AMF.HX"));
  EXPECT_TRUE(assets.at("SALVAGER")["error"].is_null()) << "a second try mended it";
  EXPECT_EQ(assets.at("GALEWORK")["new"].get<std::size_t>(), rows_of("GALEWORK") - rows_of("GALEWORK") / 50);
  EXPECT_EQ(assets.at("KELPFARM")["new"], rows_of("KELPFARM"));
}

TEST(GatherPier, WaitsAndTriesAgainWhenItIsBusyOrDown) {
  const Folder folder;
  const Pier busy({"--fault", "busy:1"});
  mandate_for(folder, busy.url());
  const auto begin = std::chrono::steady_clock::now();
  EXPECT_EQ(gather(from_pier(folder, "--assets KELPFARM"), key).code, 0);
  EXPECT_GT(std::chrono::steady_clock::now() - begin, std::chrono::milliseconds(990)) << "Retry-After says 1 s";
  const Pier down({"--fault", "down:2"});
  mandate_for(folder, down.url());
  EXPECT_EQ(gather(from_pier(folder, "--assets TIDEMILL"), key).code, 0);
  const Pier long_down({"--fault", "down:99"});
  mandate_for(folder, long_down.url(), "retries = 1");
  const auto said = gather(from_pier(folder, "--wide --assets FERRYLNK"), key);
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.out, HasSubstr("it answered 503, after 2 tries. Run it again later"));
  const Pier slow({"--fault", "slow:3000"});
  mandate_for(folder, slow.url(), "retries = 0\ntimeout_seconds = 0.2");
  EXPECT_THAT(gather(from_pier(folder, "--assets FERRYLNK"), key).out, HasSubstr("timed out"));
  mandate_for(folder, "http://127.0.0.1:9", "retries = 0");
  EXPECT_EQ(gather(from_pier(folder, "--assets FERRYLNK"), key).code, 3);
}

TEST(GatherPier, AsksNoOftenerThanItMayAndNeverWaitsForever) {
  const Pier pier({"--fault", "busy:1"});
  exchange::HttpSettings settings;
  settings.requests_per_second = 5;
  exchange::HttpClient patient(settings, {});
  const auto begin = std::chrono::steady_clock::now();
  for (int k = 0; k < 3; ++k) EXPECT_EQ(patient.get(pier.url() + "/v1/lists/all").status, 200);
  EXPECT_GT(std::chrono::steady_clock::now() - begin, std::chrono::milliseconds(395)) << "two waits of a fifth";
  settings.longest_wait_seconds = 0.5;
  exchange::HttpClient hurried(settings, {});
  try {
    hurried.get(pier.url() + "/v1/history/KLP.HX");
    ADD_FAILURE() << "it waited";
  } catch (const OutsideFailure& failure) {
    EXPECT_THAT(failure.what(), HasSubstr("it answered 429 and asks to wait for 1 s. Run it again later"));
  }
}

TEST(GatherPier, TheKeyIsNeededAndShownNowhere) {
  const Folder folder;
  const Pier pier({"--key", "crab"});
  mandate_for(folder, pier.url());
  const auto unset = gather(from_pier(folder, "--assets KELPFARM"), "env -u PIER_KEY");
  EXPECT_EQ(unset.code, 1);
  EXPECT_THAT(unset.err, HasSubstr("the environment variable PIER_KEY is not set"));
  const auto wrong = gather(from_pier(folder, "--wide --assets KELPFARM"), "PIER_KEY=lobster99");
  EXPECT_EQ(wrong.code, 1);
  EXPECT_THAT(wrong.out, HasSubstr("answered 401: the key is missing or wrong. Check the key in PIER_KEY"));
  const auto right = gather(from_pier(folder, "--assets KELPFARM --json " + (folder / "a.json").string()), key);
  EXPECT_EQ(right.code, 0);
  for (const auto& text :
       {wrong.out, wrong.err, right.out, right.err, text_of(folder / "a.json"), text_of(folder / "p.store")}) {
    EXPECT_THAT(text, AllOf(Not(HasSubstr("lobster99")), Not(HasSubstr("crab"))));
  }
}

TEST(GatherPier, AKeyThatItRepeatsIsTakenOutOfWhatItSays) {
  const Folder folder;
  const Pier pier({"--fault", "echo:KELPFARM"});
  mandate_for(folder, pier.url());
  const auto said = gather(from_pier(folder, "--assets KELPFARM,TIDEMILL --json " + (folder / "a.json").string()),
                           "PIER_KEY=lobster99");
  EXPECT_EQ(said.code, 4);
  EXPECT_THAT(said.out, HasSubstr("not with the key"));
  for (const auto& text : {said.out, said.err, text_of(folder / "a.json"), text_of(folder / "p.store")}) {
    EXPECT_THAT(text, Not(HasSubstr("lobster99")));
  }
}

TEST(GatherPier, ALoopbackAddressIsNotAskedForThroughAProxy) {
  const Folder folder;
  const Pier pier({"--key", "crab"});
  mandate_for(folder, pier.url());
  const std::string nowhere = "http://127.0.0.1:9";
  const auto said = gather(from_pier(folder, "--assets KELPFARM"),
                           "http_proxy=" + nowhere + " https_proxy=" + nowhere + " ALL_PROXY=" + nowhere + " " + key);
  EXPECT_EQ(said.code, 0) << said.out << said.err;
}

TEST(GatherFiles, ForeignRowsOfAnOlderStoreAreFoundAndMended) {
  const Folder folder;
  const auto store = (folder / "p.store").string();
  const std::string two = "--assets KELPFARM,TIDEMILL --quiet --prices " + prices + " --store " + store;
  ASSERT_EQ(gather(two).code, 0);
  {
    sqlite3* connection = nullptr;
    ASSERT_EQ(sqlite3_open(store.c_str(), &connection), SQLITE_OK);
    // As 9999-12-31 of the first asset was written before days were checked: within the second one's keys.
    const auto* sql = "INSERT INTO bar (key, close) VALUES (4194304 + 2097152 + 2932896, 7)";
    EXPECT_EQ(sqlite3_exec(connection, sql, nullptr, nullptr, nullptr), SQLITE_OK);
    sqlite3_close(connection);
  }
  for (const char* command : {"inspect", "describe", "estimate"}) {
    const auto said = run(tool + " " + command + " --prices " + store);
    EXPECT_EQ(said.code, 1) << command;
    EXPECT_THAT(said.err, AllOf(HasSubstr("has a row of the day"), HasSubstr("gather --in-full"))) << command;
  }
  EXPECT_EQ(gather(two + " --in-full").code, 0);
  EXPECT_EQ(run(tool + " describe --prices " + store).code, 0);
}

TEST(GatherPier, OtherWaysOfAnswering) {
  const Folder folder;
  const Pier pier({"--until", "2018-02-28"});
  const auto in_text = [&](const std::string& from, const std::string& to) {
    auto text = text_of(folder / "mandate.toml");
    for (auto at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size())) {
      text.replace(at, from.size(), to);
    }
    folder.write("mandate.toml", text);
  };
  mandate_for(folder, pier.url(), "days_are = \"seconds\"\nzone = \"+02:00\"");
  in_text("{every}\"", "{every}&days=seconds\"");
  ASSERT_EQ(gather(from_pier(folder, "--assets KELPFARM"), key).code, 0);
  mandate_for(folder, pier.url(), "answer = \"csv\"");
  in_text("{every}\"", "{every}&answer=csv\"");
  in_text("/series/days", "Day");
  in_text("/series/", "");
  const auto said = gather(from_pier(folder, "--assets KELPFARM --json -"), key);
  EXPECT_EQ(said.code, 0) << said.out;
  EXPECT_GT(assets_in(said).at("KELPFARM")["unchanged"], 0) << "the same days and figures as by seconds";
  EXPECT_EQ(assets_in(said).at("KELPFARM")["changed"], 0);
}

TEST(GatherPier, ListsNameWhatDoesNotMap) {
  const Folder folder;
  const Pier pier;
  mandate_for(folder, pier.url());
  const auto list = folder.write("members.txt", "410027  # a security number\nKLP.HX\nXYZ.HX\n");
  const auto said = gather(from_pier(folder, "--list " + list.string() + " --json -"), key);
  EXPECT_EQ(said.code, 4);
  EXPECT_THAT(said.err, HasSubstr("Members that no identifier maps to an asset: XYZ.HX"));
  EXPECT_EQ(assets_in(said).size(), 2u);
  EXPECT_TRUE(assets_in(said).contains("TIDEMILL"));
  // The mandate's own list is a file beside it.
  mandate_for(folder, pier.url(), "[gather]\nlist = \"members.txt\"");
  EXPECT_EQ(assets_in(gather(from_pier(folder, "--json -"), key)).size(), 2u);
  EXPECT_THAT(gather(from_pier(folder, "--list nowhere"), key).err, HasSubstr("404: there is no list nowhere"));
  EXPECT_THAT(gather(from_pier(folder, "--provider peer"), key).err, HasSubstr("Did you mean 'pier'?"));
}

TEST(GatherPier, ACertificateThatNobodyVouchesForIsRefused) {
  const Folder folder;
  const auto certificate = (folder / "c.pem").string(), secret = (folder / "k.pem").string();
  ASSERT_EQ(run("openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=pier -addext subjectAltName=IP:127.0.0.1 "
                "-keyout " +
                secret + " -out " + certificate)
                .code,
            0);
  const Pier pier({"--key", "crab", "--tls-certificate", certificate, "--tls-key", secret});
  ASSERT_THAT(pier.url(), HasSubstr("https://"));
  mandate_for(folder, pier.url());
  const auto refused = gather(from_pier(folder, "--wide --assets KELPFARM"), key);
  EXPECT_EQ(refused.code, 3);
  EXPECT_THAT(refused.out, HasSubstr("the server's certificate is not trusted"));
  mandate_for(folder, pier.url(), "ca_file = \"c.pem\"");
  EXPECT_EQ(gather(from_pier(folder, "--assets KELPFARM"), key).code, 0);
}

TEST(Provider, NeverSharesItsPort) {
  const Pier pier;
  const auto port = pier.url().substr(pier.url().rfind(':') + 1);
  const auto second =
      run("timeout 20 " + std::string(INCHTIDE_BIN) + "/price-pier --world " + demo + " --port " + port);
  EXPECT_EQ(second.code, 3);
  EXPECT_THAT(second.err, testing::HasSubstr("port " + port + " is taken"));
}

}  // namespace
}  // namespace inchtide::test::gathering
