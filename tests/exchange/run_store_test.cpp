// The store of rehearsals: what lands is there, once and whole.

#include "inchtide/exchange/run_store.hpp"

#include <gmock/gmock.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>

#include "support/messages.hpp"
#include "support/process.hpp"
#include "support/sql.hpp"

namespace inchtide::exchange {
namespace {

using test::Folder;
using test::message_of;
using test::run_sql;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;
using RunAccess = RunStore::Access;

GridRun kept(const std::string& key, double sharpe, const std::string& schedule = "1m", double level = 1) {
  GridRun run;
  run.key = key;
  run.name = "equal, " + schedule;
  run.cell.schedule = Schedule::parse(schedule, "");
  run.cell.aim = Aim::parse("equal", "");
  run.cell.estimator = Estimator::parse("geometric/one-factor", "");
  run.cell.cost_level = level;
  run.cell.start = *parse_day("2023-01-02");
  run.from = *parse_day("2022-12-30");
  run.to = *parse_day("2023-12-29");
  run.numerics = "by hand";
  run.figures.assign(kept_figures().size(), 0.0);
  run.figures[kept_figure("sharpe")] = sharpe;
  run.figures[kept_figure("growth_per_year")] = sharpe / 10;
  return run;
}

GridRun failed(const std::string& key) {
  auto run = kept(key, 0);
  run.figures.clear();
  run.failure = "no prices";
  return run;
}

std::vector<std::string> keys_of(const RunStore& store, const RunQuery& query) {
  std::vector<std::string> keys;
  for (const auto& run : store.find(query)) keys.push_back(run.key);
  return keys;
}

RunQuery where(const std::vector<std::string>& conditions) {
  RunQuery query;
  for (const auto& text : conditions) query.where.push_back(RunFilter::parse(text, "here"));
  return query;
}

TEST(RunStore, GivesARunBackToTheLastBit) {
  const Folder folder;
  auto run = kept("aa01", 0.1 + 0.2);
  for (std::size_t k = 0; k < run.figures.size(); ++k) run.figures[k] += std::sqrt(2.0) / (double(k) + 3);
  run.marked = true;
  run.left_out = 3;
  run.cell.window = EstimateWindow::parse("3y", "");
  {
    RunStore store(folder / "a.runs", RunAccess::write);
    EXPECT_TRUE(store.put(run, "inputs"));
  }
  const RunStore store(folder / "a.runs", RunAccess::read);
  const auto [back, inputs] = store.run_and_inputs("aa");
  EXPECT_EQ(inputs, "inputs");
  EXPECT_EQ(back.figures, run.figures);
  EXPECT_EQ(back.cell.bytes(), run.cell.bytes());
  EXPECT_EQ(back.name, run.name);
  EXPECT_EQ(back.cell.schedule.name, "1m");
  EXPECT_EQ(back.cell.estimator.name, "geometric/one-factor");
  EXPECT_EQ(back.from, run.from);
  EXPECT_EQ(back.to, run.to);
  EXPECT_EQ(back.numerics, "by hand");
  EXPECT_TRUE(back.marked);
  EXPECT_EQ(back.left_out, 3u);
}

TEST(RunStore, ARunIsThereOnceAndStaysAsItIs) {
  RunStore store;
  EXPECT_TRUE(store.put(kept("aa", 1), "x"));
  EXPECT_FALSE(store.put(kept("aa", 2), "x"));
  EXPECT_EQ(store.run_and_inputs("aa").first.figure("sharpe"), 1);
  EXPECT_TRUE(store.put(failed("bb"), "x"));
  EXPECT_FALSE(store.has("bb")) << "one that failed is run again";
  EXPECT_TRUE(store.put(kept("bb", 3), "x"));
  EXPECT_TRUE(store.has("bb"));
  EXPECT_FALSE(store.put(failed("bb"), "x"));
  EXPECT_EQ(store.run_and_inputs("bb").first.figure("sharpe"), 3);
}

TEST(RunStore, SortsAndFiltersByAnyFigureAndByWhatIsVaried) {
  RunStore store;
  store.put(kept("a", 0.3, "1m", 0), "x");
  store.put(kept("b", 0.5, "1q", 1), "x");
  store.put(kept("c", 0.4, "1q", 2), "y");
  store.put(failed("d"), "y");
  EXPECT_THAT(keys_of(store, {}), ElementsAre("b", "c", "a"));
  EXPECT_THAT(keys_of(store, {.sort = "cost_level", .ascending = true, .most = 2}), ElementsAre("a", "b"));
  EXPECT_THAT(keys_of(store, where({"sharpe > 0.3"})), ElementsAre("b", "c"));
  EXPECT_THAT(keys_of(store, where({"growth_per_year >= 4%", "cost_level<2"})), ElementsAre("b"));
  EXPECT_THAT(keys_of(store, where({"Schedule = 1Q", "delay = 1"})), ElementsAre("b", "c"));
  EXPECT_THAT(keys_of(store, where({"schedule != 1q"})), ElementsAre("a"));
  EXPECT_THAT(keys_of(store, {.inputs = "y"}), ElementsAre("c"));
  store.choose("a");
  store.choose("b");
  EXPECT_THAT(keys_of(store, {.chosen_only = true}), ElementsAre("b", "a"));
  EXPECT_EQ(store.count({}), 3u);
  const auto failures = store.failures({});
  ASSERT_EQ(failures.size(), 1u);
  EXPECT_EQ(failures[0].reason, "no prices");
  const auto inputs = store.all_inputs();
  ASSERT_EQ(inputs.size(), 2u);
  EXPECT_EQ(inputs[1].runs, 2u);
  EXPECT_EQ(inputs[1].failed, 1u);
}

TEST(RunStore, MeansCompareLikeWithLike) {
  RunStore store;
  store.put(kept("a", 0.2, "1m", 0), "x");
  store.put(kept("b", 0.4, "1m", 1), "x");
  store.put(kept("c", 0.6, "1q", 0), "x");
  // 1q is not there at level 1: what 1m has there doesn't count against it.
  auto groups = store.groups({}, "schedule");
  ASSERT_EQ(groups.size(), 2u);
  EXPECT_EQ(groups[0].value, "1m");
  EXPECT_EQ(groups[0].runs, 1u);
  EXPECT_EQ(groups[0].sharpe, 0.2);
  EXPECT_EQ(groups[1].sharpe, 0.6);
  EXPECT_TRUE(groups[0].balanced);
  groups = store.groups({}, "cost_level", "schedule");
  ASSERT_EQ(groups.size(), 3u);
  EXPECT_EQ(groups[1].value, "0");
  EXPECT_EQ(groups[1].second, "1q");
  EXPECT_EQ(groups[2].growth_per_year, 0.04);
  store.put(kept("d", 0.9, "1w", 9), "x");
  groups = store.groups({}, "schedule");
  ASSERT_EQ(groups.size(), 3u) << "no level has all three: what there is, and it says so";
  EXPECT_FALSE(groups[0].balanced);
  EXPECT_EQ(groups[0].runs, 2u);
}

TEST(RunStore, MergesWhatAnotherHasAndSaysWhatDiffers) {
  const Folder folder;
  RunStore store(folder / "all.runs", RunAccess::write);
  {
    RunStore other(folder / "part.runs", RunAccess::write);
    other.put_inputs(Digest::of(Bytes(3)), Bytes(3));
    other.put(kept("a", 1), "x");
    other.put(kept("b", 2), "x");
    auto elsewhere = kept("c", 3);
    elsewhere.numerics = "on another machine";
    other.put(elsewhere, "x");
    other.put(failed("e"), "x");
  }
  store.put(kept("a", 1), "x");
  store.put(kept("b", 2.5), "x");
  store.put(failed("c"), "x");
  EXPECT_THAT(message_of([&] { (void)store.merge(folder / "all.runs"); }), HasSubstr("it is the store itself"));
  const auto merged = store.merge(folder / "part.runs");
  EXPECT_EQ(merged.taken, 1u);
  EXPECT_EQ(merged.there, 2u);
  EXPECT_EQ(merged.other_figures, 1u);
  EXPECT_EQ(store.run_and_inputs("b").first.figure("sharpe"), 2.5);
  EXPECT_EQ(store.run_and_inputs("c").first.numerics, "on another machine");
  EXPECT_EQ(store.inputs(Digest::of(Bytes(3)).text()), Bytes(3));
  EXPECT_EQ(store.all_numerics().size(), 2u);
  EXPECT_EQ(store.failures({}).size(), 1u);
  EXPECT_EQ(store.merge(folder / "part.runs").taken, 0u);
}

TEST(RunStore, RefusesFilesOfAnythingElse) {
  const Folder folder;
  const auto opened = [&](const char* name) { return message_of([&] { RunStore(folder / name, RunAccess::read); }); };
  EXPECT_THAT(opened("none.runs"), AllOf(HasSubstr("none.runs"), HasSubstr("no such store")));
  run_sql(folder / "other.db", "CREATE TABLE x (y)");
  EXPECT_THAT(opened("other.db"), HasSubstr("no store of rehearsals"));
  folder.write("text.runs", "asset,weight\nKELPFARM,1\nand more than a header has, so that nobody takes it for one\n");
  EXPECT_THAT(opened("text.runs"), HasSubstr("text.runs"));
  { RunStore(folder / "new.runs", RunAccess::write).put(kept("a", 1), "x"); }
  EXPECT_EQ(opened("new.runs"), "nothing was thrown");
  run_sql(folder / "new.runs", "PRAGMA user_version = 9");
  EXPECT_THAT(opened("new.runs"), AllOf(HasSubstr("another version"), HasSubstr("format 9")));
  RunStore store(folder / "good.runs", RunAccess::write);
  EXPECT_THAT(message_of([&] { (void)store.merge(folder / "other.db"); }), HasSubstr("no store of rehearsals"));
  store.put(kept("abcd", 1), "x");
  store.put(kept("abce", 1), "x");
  EXPECT_THAT(message_of([&] { (void)store.run_and_inputs("abc"); }), HasSubstr("several runs begin so"));
  EXPECT_THAT(message_of([&] { (void)store.run_and_inputs("f"); }), HasSubstr("no run has it"));
  EXPECT_THAT(message_of([&] { (void)store.run_and_inputs("%"); }), HasSubstr("no run has it"));
  EXPECT_THAT(message_of([&] { (void)store.inputs("x"); }), HasSubstr("no inputs x"));
  store.put_inputs(Digest::of(Bytes(3)), Bytes(4));
  EXPECT_THAT(message_of([&] { (void)store.inputs(Digest::of(Bytes(3)).text()); }), HasSubstr("are damaged"));
}

TEST(RunStore, ConditionsSayWhatIsWrongWithThem) {
  for (auto [text, said] :
       std::vector<std::pair<const char*, const char*>>{{"sharpe", "no condition"},
                                                        {"sharp > 1", "Did you mean 'sharpe'"},
                                                        {"sharpe > high", "'high' is no number"},
                                                        {"sharpe > 50%", "sharpe is no percentage"},
                                                        {"growth_per_year > 3", "Write 3% or 300%"},
                                                        {"cost_per_year < small", "'small' is not a percentage"},
                                                        {"sharpe == 1", "'==' does not go with sharpe"},
                                                        {"schedule > 1q", "'>' does not go with schedule"},
                                                        {"sharpe; DROP TABLE run > 1", "runs have no"},
                                                        {"> 1", "runs have no ''"}}) {
    EXPECT_THAT(message_of([given = text] { (void)RunFilter::parse(given, "--where"); }),
                AllOf(HasSubstr("--where"), HasSubstr(said)));
  }
  RunStore store;
  EXPECT_THAT(message_of([&] { (void)store.find({.sort = "beauty"}); }), HasSubstr("runs have no 'beauty'"));
}

// A writer that is killed loses nothing that it had said was there.
TEST(RunStore, KeepsWhatLandedWhenItsWriterIsKilled) {
  const Folder folder;
  int told[2];
  ASSERT_EQ(pipe(told), 0);
  const pid_t child = fork();
  if (child == 0) {
    close(told[0]);
    RunStore store(folder / "a.runs", RunAccess::write);
    for (int k = 0;; ++k) {
      store.put(kept(std::to_string(1'000'000 + k), k), "x");
      if (::write(told[1], &k, sizeof(k)) != sizeof(k)) _exit(1);
    }
  }
  close(told[1]);
  int last = -1;
  while (last < 200 && ::read(told[0], &last, sizeof(last)) == sizeof(last)) {
  }
  kill(child, SIGKILL);
  waitpid(child, nullptr, 0);
  close(told[0]);
  RunStore store(folder / "a.runs", RunAccess::write);
  for (int k = 0; k <= 200; ++k) EXPECT_TRUE(store.has(std::to_string(1'000'000 + k))) << k;
  EXPECT_TRUE(store.put(kept("9", 9), "x"));
}

}  // namespace
}  // namespace inchtide::exchange
