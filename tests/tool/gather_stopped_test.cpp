// Gathering that is stopped, killed, done twice at once, or has no room: nothing that was kept is lost.

#include <cstdlib>
#include <random>

#include "inchtide/exchange/store.hpp"
#include "support/gathering.hpp"

namespace inchtide::test::gathering {
namespace {

using exchange::PriceStore;
using testing::HasSubstr;

TEST(GatherPier, CtrlCKeepsWhatIsComplete) {
  const Folder folder;
  const Pier pier({"--fault", "slow:150"});
  mandate_for(folder, pier.url(), "parallel = 1");
  setenv("PIER_KEY", "crab", 1);
  Background gathering({tool, "gather", "--mandate", (folder / "mandate.toml").string(), "--store",
                        (folder / "p.store").string(), "--list", "all"},
                       folder / "out", folder / "err");
  for (int tries = 0; tries < 400; ++tries) {  // until something is stored
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    if (fs::exists(folder / "p.store") && !PriceStore(folder / "p.store", PriceStore::Access::write).assets().empty()) {
      break;
    }
  }
  gathering.signal(SIGINT);
  EXPECT_EQ(gathering.wait(), 130);
  unsetenv("PIER_KEY");
  EXPECT_THAT(text_of(folder / "out"), HasSubstr("Stopped on request"));
  const auto stored = PriceStore(folder / "p.store", PriceStore::Access::read).assets();
  EXPECT_GT(stored.size(), 0u);
  EXPECT_LT(stored.size(), 17u);
  for (const auto& asset : stored) EXPECT_EQ(asset.rows, rows_of(asset.code));
}

#ifdef INCHTIDE_SANITIZE
constexpr int kills = 10;  // a process takes ten times as long to start
#else
constexpr int kills = 50;
#endif

TEST(Gather, KilledAgainAndAgainLeavesAStoreThatASecondRunCompletes) {
  const Folder folder;
  std::mt19937 random(7);
  const auto path = folder / "p.store";
  const auto begin = std::chrono::steady_clock::now();
  ASSERT_EQ(gather("--quiet --prices " + prices + " --store " + (folder / "whole.store").string()).code, 0);
  const auto whole = std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - begin);
  std::size_t in_between = 0;
  for (int round = 0; round < kills; ++round) {
    for (const char* ending : {"", "-wal", "-shm"}) fs::remove(path.string() + ending);
    Background gathering({tool, "gather", "--prices", prices, "--store", path.string()}, folder / "out",
                         folder / "err");
    std::this_thread::sleep_for(std::chrono::microseconds(random() % std::uint32_t(whole.count())));
    gathering.signal(SIGKILL);
    gathering.wait();
    if (!fs::exists(path)) continue;
    const auto stored = PriceStore(path, PriceStore::Access::write).assets();
    for (const auto& asset : stored) ASSERT_EQ(asset.rows, rows_of(asset.code)) << asset.code;
    in_between += stored.size() > 0 && stored.size() < 17 ? 1 : 0;
    ASSERT_EQ(gather("--quiet --prices " + prices + " --store " + path.string()).code, 0);
    ASSERT_EQ(PriceStore(path, PriceStore::Access::read).assets().size(), 17u);
  }
  if (kills < 50) return;  // too few to say where they fell
  EXPECT_GT(in_between, 0u) << "no run was killed between its first asset and its last";
}

TEST(Gather, TwoAtOnceBothComplete) {
  const Folder folder;
  const auto store = (folder / "p.store").string();
  Background first({tool, "gather", "--prices", prices, "--store", store}, folder / "o1", folder / "e1");
  Background second({tool, "gather", "--prices", prices, "--store", store}, folder / "o2", folder / "e2");
  EXPECT_EQ(first.wait(), 0) << text_of(folder / "e1");
  EXPECT_EQ(second.wait(), 0) << text_of(folder / "e2");
  const auto stored = PriceStore(store, PriceStore::Access::read).assets();
  ASSERT_EQ(stored.size(), 17u);
  for (const auto& asset : stored) EXPECT_EQ(asset.rows, rows_of(asset.code));
}

TEST(Gather, AFullDiskIsSaidAndLosesNothing) {
  const Folder folder;
  const auto store = (folder / "p.store").string();
  ASSERT_EQ(gather("--prices " + prices + " --assets KELPFARM --store " + store).code, 0);
  // Files may not grow beyond 400 KiB here: some assets fit, the others don't.
  const auto said = run("trap '' XFSZ; ulimit -f 400; " + tool + " gather --prices " + prices + " --store " + store);
  EXPECT_TRUE(said.code == 4 || said.code == 3) << said.code << said.err;
  EXPECT_THAT(said.out + said.err, HasSubstr("full"));
  const auto stored = PriceStore(store, PriceStore::Access::write).assets();
  EXPECT_GE(stored.size(), 1u);
  EXPECT_LT(stored.size(), 17u);
  for (const auto& asset : stored) EXPECT_EQ(asset.rows, rows_of(asset.code));
  EXPECT_EQ(gather("--prices " + prices + " --store " + store).code, 0);
}

TEST(Gather, AReadOnlyStoreIsSaidAndStillRead) {
  const Folder folder;
  const auto store = (folder / "s/p.store").string();
  ASSERT_EQ(gather("--prices " + prices + " --assets KELPFARM,TIDEMILL --store " + store).code, 0);
  run("cp " + tool + " " + (folder / "inchtide").string() + "; chmod 755 " + folder.path().string() + "; chmod 555 " +
      (folder / "s").string() + "; chmod 444 " + store + "; chmod -R a+rX " + folder.path().string());
  // The administrator may write anywhere, so this is done as somebody else.
  const std::string as_other = ::geteuid() == 0 ? "setpriv --reuid=65534 --regid=65534 --clear-groups " : "";
  const auto other_tool = as_other + (folder / "inchtide").string();
  const auto said = run(other_tool + " gather --prices " + prices + "/FERRYLNK.csv --store " + store);
  const auto read = run(other_tool + " describe --prices " + store);
  run("chmod 755 " + (folder / "s").string());
  EXPECT_EQ(said.code, 3) << said.err;
  EXPECT_THAT(said.err, HasSubstr("the store is read-only"));
  EXPECT_EQ(read.code, 0) << read.err;
  EXPECT_THAT(read.out, HasSubstr("KELPFARM"));
}

}  // namespace
}  // namespace inchtide::test::gathering
