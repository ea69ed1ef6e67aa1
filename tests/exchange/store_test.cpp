#include "inchtide/exchange/store.hpp"

#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <thread>

#include "support/messages.hpp"
#include "support/process.hpp"
#include "support/sql.hpp"

namespace inchtide::exchange {
namespace {

using test::Folder;
using test::message_of;
using test::run_sql;
using testing::ElementsAre;
using testing::HasSubstr;
using Access = PriceStore::Access;

Day nth(int d) {
  return Day{std::chrono::days{19000 + d}};
}

BarHistory bars_of(const std::string& asset, int first, int rows, double level = 10) {
  BarHistory bars{asset};
  std::vector<Day> days;
  for (int t = first; t < first + rows; ++t) {
    days.push_back(nth(t));
    bars.of(PriceField::close).push_back(level + t);
    bars.of(PriceField::volume).push_back(100 * t);
  }
  bars.days = days;
  return bars;
}

TEST(Store, TakesNoDayThatItsKeyHasNoRoomFor) {
  const Folder folder;
  PriceStore store(folder / "p.store", Access::write);
  store.put(bars_of("TIDEMILL", 0, 5), "by hand");
  store.put(bars_of("KELPFARM", 0, 5), "by hand");
  for (const char* day : {"9999-12-31", "7001-01-01", "1582-12-31", "0001-01-01"}) {
    auto bars = bars_of("TIDEMILL", 0, 1);
    bars.days = std::vector<Day>{*parse_day(day)};
    const auto said = message_of([&] { store.put(bars, "a.csv"); });
    EXPECT_THAT(said, testing::AllOf(HasSubstr("a.csv, TIDEMILL"), HasSubstr(day), HasSubstr("1583 to 7000")));
  }
  for (const char* day : {"7000-12-31", "1583-01-01"}) {
    auto bars = bars_of("TIDEMILL", 0, 1);
    bars.days = std::vector<Day>{*parse_day(day)};
    EXPECT_EQ(store.put(bars, "by hand").rows_new, 1u);
  }
  EXPECT_EQ(store.bars("KELPFARM")->days, bars_of("KELPFARM", 0, 5).days);
}

TEST(Store, TakesNoNameThatCannotBeSeen) {
  const Folder folder;
  PriceStore store(folder / "p.store", Access::write);
  for (const auto& name : {std::string(), std::string("A\0B", 3), std::string("\xFF"), std::string(65, 'x')}) {
    EXPECT_THAT(message_of([&] { store.put(bars_of(name, 0, 5), "a.csv"); }), HasSubstr("cannot be a name"));
  }
  EXPECT_TRUE(store.assets().empty());
}

TEST(Store, ForeignRowsOfOlderStoresAreFoundAndReplaced) {
  const Folder folder;
  const auto path = folder / "p.store";
  {
    PriceStore store(path, Access::write);
    store.put(bars_of("TIDEMILL", 0, 5), "by hand");
    store.put(bars_of("KELPFARM", 0, 5), "by hand");
  }
  // As 9999-12-31 of the first asset was written before days were checked: within the second one's keys.
  run_sql(path, "INSERT INTO bar (key, close) VALUES (4194304 + 2097152 + 2932896, 7)");
  const auto expect_found = [](auto read) {
    EXPECT_THAT(message_of(read),
                testing::AllOf(HasSubstr("KELPFARM has a row of the day"), HasSubstr("again, in full")));
  };
  expect_found([&] { PriceStore::read_histories(path, {}); });
  expect_found([&] { PriceStore::read_all(path, {}); });
  expect_found([&] { static_cast<void>(PriceStore(path, Access::read).bars("KELPFARM")); });
  PriceStore store(path, Access::write);
  store.put(bars_of("KELPFARM", 0, 5), "by hand", PriceStore::Merge::replace);
  EXPECT_EQ(store.bars("KELPFARM")->days, bars_of("KELPFARM", 0, 5).days);
  EXPECT_EQ(store.bars("TIDEMILL")->days, bars_of("TIDEMILL", 0, 5).days);
}

TEST(Store, GivesBackWhatWasPut) {
  const Folder folder;
  auto bars = bars_of("KELPFARM", -30000, 7);  // long before 1970
  bars.of(PriceField::close)[3] = NAN;
  {
    PriceStore store(folder / "p.store", Access::write);
    const auto written = store.put(bars, "by hand");
    EXPECT_EQ(written.rows_new, 7u);
  }
  const PriceStore store(folder / "p.store", Access::read);
  const auto back = *store.bars("kelpfarm");
  EXPECT_EQ(back.asset, "KELPFARM");
  EXPECT_EQ(back.days, bars.days);
  EXPECT_TRUE(std::isnan(back.of(PriceField::close)[3]));
  EXPECT_EQ(back.of(PriceField::volume), bars.of(PriceField::volume));
  EXPECT_FALSE(back.has(PriceField::open));
  EXPECT_EQ(store.bars("KELPFARM", bars.days[5])->days.size(), 2u);
  EXPECT_FALSE(store.bars("TIDEMILL"));
  const auto assets = store.assets();
  ASSERT_EQ(assets.size(), 1u);
  EXPECT_EQ(assets[0].source, "by hand");
  EXPECT_EQ(assets[0].from, bars.days.front());
  EXPECT_EQ(assets[0].rows, 7u);
}

TEST(Store, CountsNewChangedAndUnchangedRows) {
  const Folder folder;
  PriceStore store(folder / "p.store", Access::write);
  store.put(bars_of("A", 0, 10), "x");
  store.put(bars_of("B", 0, 10), "x");
  auto more = bars_of("A", 6, 8);
  more.of(PriceField::close)[1] = 99;
  const auto written = store.put(more, "x");
  EXPECT_EQ(written.rows_new, 4u);
  EXPECT_EQ(written.changed, 1u);
  EXPECT_EQ(written.unchanged, 3u);
  EXPECT_EQ(store.bars("A")->of(PriceField::close)[7], 99);
  EXPECT_EQ(store.bars("B")->days.size(), 10u) << "other assets are left alone";
  // A source without volumes leaves those that are there.
  BarHistory closes{"A"};
  closes.days = {nth(0), nth(20)};
  closes.of(PriceField::close) = {10, 50};
  EXPECT_EQ(store.put(closes, "x").unchanged, 1u);
  EXPECT_EQ(store.bars("A")->of(PriceField::volume)[1], 100);
  // Replacing lets go of everything else.
  const auto replaced = store.put(bars_of("A", 2, 3), "x", PriceStore::Merge::replace);
  EXPECT_EQ(replaced.removed, 12u);
  EXPECT_THAT(store.bars("A")->days, ElementsAre(nth(2), nth(3), nth(4)));
  EXPECT_EQ(store.bars("B")->days.size(), 10u);
}

TEST(Store, IsReadLikeAFolderOfFiles) {
  const Folder folder;
  {
    PriceStore store(folder / "p.store", Access::write);
    auto both = bars_of("B", 0, 5);
    both.of(PriceField::adjusted_close) = {1, 2, NAN, 4, 5};
    store.put(both, "x");
    store.put(bars_of("A", 2, 5), "x");
  }
  const auto histories = read_prices(folder / "p.store");
  ASSERT_EQ(histories.size(), 2u);
  EXPECT_EQ(histories[0].asset, "A");
  EXPECT_EQ(histories[0].field, PriceField::close) << "the next best field";
  EXPECT_EQ(histories[1].field, PriceField::adjusted_close);
  EXPECT_THAT(histories[1].days, ElementsAre(nth(0), nth(1), nth(3), nth(4)));
  PriceReading reading;
  reading.fields.preferred = PriceField::close;
  reading.assets = {"b"};
  EXPECT_EQ(read_prices(folder / "p.store", reading).at(0).prices.size(), 5u);
  EXPECT_EQ(read_bars(folder / "p.store").at(1).fields_held().size(), 3u);
  reading.assets = {"C"};
  EXPECT_THAT(message_of([&] { read_prices(folder / "p.store", reading); }), HasSubstr("has none of the assets"));
}

TEST(Store, RefusesWhatItCannotReadOrMustNotTouch) {
  const Folder folder;
  EXPECT_THAT(message_of([&] { PriceStore(folder / "none", Access::read); }), HasSubstr("there is no such store"));
  EXPECT_THAT(message_of([&] { PriceStore(folder.path(), Access::write); }), HasSubstr("this is a folder"));
  const auto text = folder.write("notes.txt", "precious");
  EXPECT_THAT(message_of([&] { PriceStore(text, Access::write); }), HasSubstr("notes.txt: it is not a store"));
  EXPECT_EQ(test::text_of(text), "precious");
  run_sql(folder / "other.db", "CREATE TABLE precious (x)");
  for (auto access : {Access::read, Access::write}) {
    EXPECT_THAT(message_of([&] { PriceStore(folder / "other.db", access); }), HasSubstr("no store of prices"));
  }
  { PriceStore(folder / "new.store", Access::write).put(bars_of("A", 0, 3), "x"); }
  run_sql(folder / "new.store", "PRAGMA user_version = 7");
  for (auto access : {Access::read, Access::write}) {
    EXPECT_THAT(message_of([&] { PriceStore(folder / "new.store", access); }),
                HasSubstr("made by a newer version (format 7; this one reads up to 1). Update inchtide"));
  }
  folder.write("damaged.store", test::text_of(folder / "new.store").substr(0, 3000));
  EXPECT_THROW(read_prices(folder / "damaged.store"), Error);
  { PriceStore empty(folder / "empty.store", Access::write); }
  EXPECT_THAT(message_of([&] { read_prices(folder / "empty.store"); }), HasSubstr("the store is empty"));
}

TEST(Store, TwoWritersTakeTurns) {
  const Folder folder;
  const auto path = folder / "p.store";
  const auto write = [&](const std::string& prefix) {
    PriceStore store(path, Access::write);
    for (int i = 0; i < 20; ++i) store.put(bars_of(prefix + std::to_string(i), 0, 200), prefix);
  };
  {
    std::jthread a([&] { write("A"); }), b([&] { write("B"); });
  }
  const PriceStore store(path, Access::read);
  ASSERT_EQ(store.assets().size(), 40u);
  for (const auto& asset : store.assets()) EXPECT_EQ(asset.rows, 200u);
}

TEST(Store, AWriterThatDiesLeavesNoHalfOfAnAsset) {
  const Folder folder;
  const auto path = folder / "p.store";
  { PriceStore(path, Access::write).put(bars_of("A", 0, 500, 1), "first"); }
  for (int wait_us : {0, 500, 1000, 2000, 3000, 5000}) {
    const pid_t child = fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
      PriceStore store(path, Access::write);
      for (double level = 2;; ++level) store.put(bars_of("A", 0, 500, level), "again");
    }
    usleep(useconds_t(4000 + wait_us));
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    const auto bars = *PriceStore(path, Access::read).bars("A");
    ASSERT_EQ(bars.days.size(), 500u);
    const double level = bars.of(PriceField::close)[0];
    for (std::size_t t = 0; t < 500; ++t) ASSERT_EQ(bars.of(PriceField::close)[t], level + double(t));
  }
}

TEST(Store, CanBeOpenedByOtherTools) {
  const Folder folder;
  { PriceStore(folder / "p.store", Access::write).put(bars_of("A", 0, 2), "x"); }
  sqlite3* connection = nullptr;
  ASSERT_EQ(sqlite3_open((folder / "p.store").c_str(), &connection), SQLITE_OK);
  std::string rows;
  sqlite3_exec(
      connection, "SELECT asset || ' ' || day || ' ' || close AS line FROM history ORDER BY day",
      [](void* all, int, char** cells, char**) {
        *static_cast<std::string*>(all) += std::string(cells[0]) + "\n";
        return 0;
      },
      &rows, nullptr);
  sqlite3_close(connection);
  EXPECT_EQ(rows, "A " + to_string(nth(0)) + " 10.0\nA " + to_string(nth(1)) + " 11.0\n");
}

}  // namespace
}  // namespace inchtide::exchange
