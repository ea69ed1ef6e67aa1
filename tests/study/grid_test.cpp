// Many rehearsals of one study: each the same as a single one.

#include "inchtide/study/grid.hpp"

#include <gmock/gmock.h>

#include <atomic>
#include <map>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/study/luck.hpp"
#include "support/messages.hpp"
#include "support/walks.hpp"

namespace inchtide {
namespace {

using test::day;
using test::message_of;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;

/// Four assets over three years.
struct ManyRuns {
  Sources sources;
  Settings settings;
  ManyRuns() {
    for (const char* code : {"TIDEMILL", "KELPFARM", "HOLLBOND", "GALEWORK"}) {
      sources.bars.push_back(
          test::walk(code, unsigned(code[0]) + unsigned(code[1]), day("2019-01-01"), day("2021-12-31")));
    }
    settings.split = day("2021-01-01");
    settings.costs = {CostClass::parse("30bp", "")};
    settings.limits = {Limit::parse("each <= 60%")};
    settings.grid.resize(1);
    set("schedule", {"never", "1m", "1q+band:1pp", "1q:after-costs"});
    set("cost-level", {"0", "1", "3"});
    set("aim", {"equal", "maximum-sharpe"});
  }
  void set(const char* axis, const std::vector<std::string>& texts) {
    fill_axis(settings.grid.front(), axis, texts, "here");
  }
  [[nodiscard]] Grid grid() const { return {sources, settings}; }
};

/// All runs by their key.
std::map<std::string, GridRun> all_runs(const CellRunner& runner, int threads = 0) {
  std::map<std::string, GridRun> runs;
  run_grid(
      runner, runner.grid().all(), [&](const GridRun& run) { runs.emplace(run.key, run); }, Executor(threads));
  return runs;
}

/// What a study says of a cell that is all that it rehearses.
Rehearsal single(const ManyRuns& study, const GridCell& cell) {
  auto settings = study.settings;
  settings.grid.clear();
  settings.schedules = {cell.schedule};
  settings.aims = {cell.aim};
  settings.methods.expected = *cell.estimator.expected;
  settings.methods.covariance = *cell.estimator.covariance;
  settings.estimate_over = cell.window.span;
  settings.delay = cell.delay;
  settings.split = cell.start;
  for (auto& cost : settings.costs) {  // in proportion, so that a level is other basis points
    cost.buy.bps = *cost.buy.bps * cell.cost_level;
    cost.sell.bps = *cost.sell.bps * cell.cost_level;
  }
  const auto universe = universe_of(study.sources, settings);
  const auto basis = basis_before_split(universe, study.sources, settings);
  const auto portfolios = portfolios_of(basis, study.sources, settings);
  return runs_of(universe, basis, portfolios, study.sources, settings).all.front();
}

void expect_same(const GridRun& run, const Rehearsal& alone) {
  ASSERT_EQ(run.failure, "") << run.name;
  for (const auto& kept : kept_figures())
    EXPECT_EQ(run.figure(kept.name), kept.of(alone)) << run.name << " " << kept.name;
  EXPECT_EQ(run.marked, alone.marked);
  EXPECT_EQ(run.from, alone.days.front());
  EXPECT_EQ(run.to, alone.days.back());
}

TEST(Grid, CellsSayHowManyAssetsTheirEstimatesLeaveOut) {
  ManyRuns study;
  study.settings.short_histories = ShortHistories::keep;
  study.settings.align = AlignPolicy::parse("any", "here");
  study.settings.reestimate = Schedule::parse("1q", "");
  study.set("schedule", {"1m"});
  study.set("cost-level", {"1"});
  study.set("aim", {"equal"});
  study.set("window", {"6m", "1y"});
  study.sources.bars[1] = test::walk("KELPFARM", 7, day("2020-03-02"), day("2021-12-31"));
  const auto grid = study.grid();
  const CellRunner runner(grid);
  for (const auto& [key, run] : all_runs(runner)) {
    ASSERT_EQ(run.failure, "");
    EXPECT_EQ(run.left_out, run.cell.window.text() == "1y" ? 1u : 0u) << "of a year before 2021 it has ten months";
  }
}

TEST(Grid, WhatIsToBeSaidOfTheWalkIsSaidOfEachStart) {
  ManyRuns study;
  auto& bars = study.sources.bars[1];
  for (const Day d : bars.days) {  // none is known to be traded in the spring of 2021
    bars.of(PriceField::volume).push_back(d < day("2021-03-01") || d >= day("2021-06-01") ? 1000 : 0);
  }
  study.settings.costs.push_back({"KELPFARM"});
  study.settings.costs[1].buy.impact = study.settings.costs[1].sell.impact = 0.5;
  study.set("start", {"2021-01-01", "2021-07-01"});
  const auto grid = study.grid();
  const CellRunner runner(grid);
  int early = 0, late = 0;
  for (const auto index : grid.all()) {
    const auto cell = grid.cell(index);
    const bool is_late = cell.start == day("2021-07-01");
    const auto said = test::texts_of(runner.warnings(cell));
    if (is_late) {
      EXPECT_THAT(said, testing::Not(testing::Contains(HasSubstr("pay no impact: KELPFARM"))));
    } else {
      EXPECT_THAT(said, testing::Contains(HasSubstr("pay no impact: KELPFARM (on 2021-03-29 and 45 more days)")));
    }
    ++(is_late ? late : early);
  }
  EXPECT_GT(early, 0);
  EXPECT_EQ(early, late);
}

TEST(Grid, ACellIsTheSingleRunToTheLastBit) {
  ManyRuns study;
  study.set("estimator", {"sample", "bayes-stein/constant-correlation"});
  study.set("window", {"all", "1y"});
  study.set("delay", {"0", "2"});
  study.set("start", {"2021-01-01", "2021-04-01"});
  const auto grid = study.grid();
  const CellRunner runner(grid);
  const auto runs = all_runs(runner);
  EXPECT_EQ(grid.size(), 4u * 3 * 2 * 2 * 2 * 2 * 2);
  EXPECT_EQ(runs.size(), grid.size() * 7 / 8) << "equal weights have no return to weigh against costs";
  std::size_t k = 0;
  for (const auto& [key, run] : runs) {
    if (k++ % 5 == 0) expect_same(run, single(study, run.cell));
  }
}

/// Costs up to 19% of a purchase turn sides, so that trades leave other weights than their targets and bands say
/// another day than at other levels.
TEST(Grid, CellsOfAllLevelsOfCostsAreTheSingleRunsWhateverMakesThemTrade) {
  ManyRuns study;
  study.set("schedule", {"1w", "21d@3", "band:1pp", "band:2pp", "band:10%", "1w+band:1pp", "1m|band:2pp", "1q@first",
                         "band:1pp:edge", "1m:cap=2%", "1q:tranches=2"});
  study.set("cost-level", {"0", "0.5", "1", "8", "32", "64"});
  study.set("aim", {"equal", "minimum-variance"});
  study.set("delay", {"0", "1", "5"});
  const auto grid = study.grid();
  const CellRunner runner(grid);
  std::set<double> trading_days;  // of one schedule by its level
  for (const auto& [key, run] : all_runs(runner)) {
    const auto alone = single(study, run.cell);
    expect_same(run, alone);
    if (run.cell.schedule.text() == "band:1pp") trading_days.insert(run.figure("trading_days"));
  }
  EXPECT_GT(trading_days.size(), 3u);
}

TEST(Grid, CellsThatAreChosenAnewAreTheSingleRunsToo) {
  ManyRuns study;
  study.settings.reestimate = Schedule::parse("1q", "");
  study.set("window", {"1y", "18m"});
  const auto grid = study.grid();
  const CellRunner runner(grid);
  for (const auto& [key, run] : all_runs(runner)) {
    if (run.cell.cost_level == 3) expect_same(run, single(study, run.cell));
  }
}

TEST(Grid, RunsAreTheSameWhateverTheThreadsAndTheOrder) {
  const ManyRuns study;
  const auto grid = study.grid();
  const CellRunner runner(grid);
  const auto one = all_runs(runner, 1), two = all_runs(runner, 2);
  ASSERT_EQ(one.size(), two.size());
  for (const auto& [key, run] : one) EXPECT_EQ(run.figures, two.at(key).figures) << run.name;
  const CellRunner other(grid);
  auto backwards = grid.all();
  std::ranges::reverse(backwards);
  run_grid(other, backwards, [&](const GridRun& run) { EXPECT_EQ(run.figures, one.at(run.key).figures) << run.name; });
}

TEST(Grid, AnotherMachineOpensItsInputsAndMakesTheSameRuns) {
  const ManyRuns study;
  const auto grid = study.grid();
  const CellRunner here(grid);
  const Grid sent(Bytes(grid.inputs()));
  EXPECT_EQ(sent.digest(), grid.digest());
  const CellRunner there(sent);
  for (const auto index : grid.all()) {
    const auto cell = grid.cell(index);
    const auto again = GridCell::from_bytes(cell.bytes());
    EXPECT_EQ(sent.key(again), grid.key(cell));
    EXPECT_EQ(there.run(again, "").figures, here.run(cell, "").figures);
  }
  const auto whole = there.rehearse(grid.cell(1));
  EXPECT_GT(whole.weights.rows(), 200);
  EXPECT_FALSE(whole.trades.front().orders.empty());
}

TEST(Grid, AKeyChangesWithEveryInputAndWithNothingElse) {
  const ManyRuns study;
  const auto key = [](const ManyRuns& of) {
    const auto grid = of.grid();
    return grid.key(grid.cell(1));
  };
  const auto first = key(study);
  const auto changed = [&](auto change) {
    ManyRuns other;
    change(other);
    return key(other) != first;
  };
  EXPECT_FALSE(changed([](ManyRuns&) {}));
  EXPECT_FALSE(changed([](ManyRuns& s) { s.settings.baseline = "1m"; }));
  EXPECT_FALSE(changed([](ManyRuns& s) { s.settings.show_log = true; }));
  EXPECT_FALSE(changed([](ManyRuns& s) { s.settings.grid.front().schedules.front().name = "held on"; }));
  EXPECT_FALSE(changed([](ManyRuns& s) {
    s.settings.split = day("2021-02-01");
    s.set("start", {"2021-01-01"});
  }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.sources.bars[2].of(PriceField::close)[400] *= 1 + 1e-15; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.wealth += 1e-9; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.limits = {Limit::parse("each <= 61%")}; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.costs[0].buy.bps = 31; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.risk_free = 0.01; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.delay = 3; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.split = day("2021-02-01"); }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.sources.tags.columns = {"name"}; }));
  EXPECT_TRUE(changed([](ManyRuns& s) { s.settings.flows.push_back({"gift", {}, {}, day("2021-03-01"), 10.0}); }));
}

TEST(Grid, EveryFieldOfTheInputsComesBack) {
  ManyRuns study;
  auto& s = study.settings;
  s.benchmark = "HOLLBOND";
  s.fields.of_asset["kelpfarm"] = PriceField::close;
  s.from = day("2019-02-01");
  s.last = Interval(2, Unit::year);
  s.methods.views = {View::parse("KELPFARM = 8%", "mine", 0.4)};
  s.methods.own["kelpfarm"] = 0.07;
  s.methods.implied_weights = Eigen::Vector2d(0.25, 0.75);
  s.limits = {Limit::parse("each outside sector:bonds <= 15%", "spread"), Limit::parse("5% <= sector:power <= 30%")};
  s.costs[0].buy.tiers = {{0, 0.001}, {100, 0.0005}};
  s.lots = {{"all", 5.0}};
  s.ends = {{"KELPFARM", day("2021-06-01"), 0.3}};
  s.flows = {{"keepers", Schedule::parse("1m@first", ""), 4, {}, -10, true}};
  s.reestimate = Schedule::parse("1q", "");
  study.sources.actions = {{"KELPFARM", day("2020-01-02"), 2, 0.5, day("2020-02-02")}};
  study.sources.rates = {{"MRD", "HLC", DayList{day("2020-01-02")}, {5.5}}};
  study.sources.current = WeightList{"now", {"KELPFARM"}, {1.0}};
  study.sources.tags = {{"sector"}, {"KELPFARM"}, {{"food"}}};
  study.sources.passed_over = {{"GALEWORK", "no prices"}};
  const auto grid = study.grid();
  const Grid back(Bytes(grid.inputs()));
  // Packed again it is the same bytes, whatever has no operator to compare.
  auto settings = back.settings();
  EXPECT_EQ(settings.limits[0].name, "spread");
  EXPECT_EQ(settings.methods.views[0].positions, s.methods.views[0].positions);
  EXPECT_EQ(settings.costs[0].buy, s.costs[0].buy);
  EXPECT_EQ(settings.flows[0].every->text(), "1m@first");
  EXPECT_EQ(*settings.flows[0].month, 4);
  EXPECT_EQ(settings.fields.of_asset, s.fields.of_asset);
  EXPECT_EQ(settings.ends[0].day, s.ends[0].day);
  settings.grid = s.grid;
  settings.split = s.split;
  EXPECT_EQ(Grid(study.sources, settings).digest(), grid.digest());
}

TEST(Grid, AJobIsTheSameCells) {
  ManyRuns study;
  study.set("delay", {"0", "2"});
  study.set("estimator", {"bayes-stein", "one-factor", "geometric/nonlinear"});
  const auto grid = study.grid(), again = Grid::of_job(grid.job());
  ASSERT_EQ(again.size(), grid.size());
  EXPECT_EQ(again.digest(), grid.digest());
  for (std::size_t k = 0; k < grid.size(); ++k) EXPECT_EQ(again.key(again.cell(k)), grid.key(grid.cell(k)));
}

TEST(Grid, AnEstimatorLeavesTheOtherHalfToTheStudy) {
  ManyRuns study;
  study.settings.methods.covariance = CovarianceMethod::parse("constant-correlation", "");
  study.settings.methods.expected = ExpectedMethod::parse("geometric", "");
  study.set("estimator", {"bayes-stein", "one-factor", "exponential:36"});
  study.set("aim", {"equal"});
  const auto grid = study.grid();
  std::set<std::pair<std::string, std::string>> methods;
  for (std::size_t k = 0; k < grid.size(); ++k) {
    const auto estimator = grid.cell(k).estimator;
    methods.insert({estimator.expected->text(), estimator.covariance->text()});
  }
  EXPECT_EQ(methods, (std::set<std::pair<std::string, std::string>>{{"bayes-stein", "constant-correlation"},
                                                                    {"geometric", "one-factor"},
                                                                    {"exponential:36", "exponential:36"}}));
  EXPECT_EQ(Estimator::parse("bayes-stein/one-factor", "").text(), "bayes-stein/one-factor");
  EXPECT_EQ(Estimator::parse("exponential:36", "").text(), "exponential:36") << "of both";
  EXPECT_EQ(Estimator::parse("one-factor", "").text(), "one-factor");
}

TEST(Grid, PartsHaveEveryCellOnce) {
  const ManyRuns study;
  const auto grid = study.grid();
  for (const std::size_t of : {1u, 2u, 5u, 7u, 100u}) {
    std::multiset<std::size_t> all;
    for (std::size_t k = 1; k <= of; ++k) {
      const auto part = grid.part(k, of);
      EXPECT_LE(part.size(), grid.size() / of + 1);
      all.insert(part.begin(), part.end());
    }
    const auto whole = grid.all();
    EXPECT_TRUE(std::ranges::equal(all, whole)) << of;
  }
  EXPECT_THAT(message_of([&] { (void)grid.part(5, 3); }), HasSubstr("there is no part 5 of 3"));
  EXPECT_THAT(message_of([&] { (void)grid.part(0, 3); }), HasSubstr("Count them from 1"));
}

TEST(Grid, NamesSayWhatIsVaried) {
  ManyRuns study;
  study.set("cost-level", {"1"});
  study.set("delay", {"1", "2"});
  EXPECT_EQ(study.grid().name(0), "equal, never, delay 1");
  EXPECT_EQ(study.grid().shape(), "4 schedules x 2 aims x 2 delays");
  GridAxes mine;
  mine.name = "mine";
  fill_axis(mine, "aim", {"minimum-variance"}, "");
  fill_axis(mine, "schedule", {"1y"}, "");
  study.settings.grid.push_back(mine);
  const auto grid = study.grid();
  EXPECT_EQ(grid.name(grid.size() - 1), "mine");
  EXPECT_EQ(grid.cell(grid.size() - 1).aim.text(), "minimum-variance");
  EXPECT_THAT(grid.shape(), HasSubstr(", and 1 by name"));
}

TEST(Grid, ARunThatCannotBeMadeSaysWhyAndCostsNoOther) {
  ManyRuns study;
  study.set("window", {"all", "5y"});
  study.set("start", {"2021-01-01", "2030-01-01"});
  const auto grid = study.grid();
  const CellRunner runner(grid);
  std::map<std::string, int> reasons;
  for (const auto& [key, run] : all_runs(runner)) ++reasons[run.failure];
  EXPECT_EQ(reasons[""], 21);
  EXPECT_EQ(reasons.size(), 4u) << "a window before either start, and a start without prices";
  for (const auto& [reason, count] : reasons) {
    if (reason.empty()) continue;
    EXPECT_THAT(reason, testing::AnyOf(HasSubstr("the 5y up to"), HasSubstr("2030-01-01"))) << count;
  }
}

TEST(Grid, StopsBetweenCellsAndWhatWasBegunHasLanded) {
  const ManyRuns study;
  const auto grid = study.grid();
  const CellRunner runner(grid);
  std::atomic<int> asked = 0;
  std::size_t landed = 0;
  const Watch watch{[&] { return ++asked > 6; }, {}};
  EXPECT_THROW(run_grid(
                   runner, grid.all(), [&](const GridRun&) { ++landed; }, Executor(), watch),
               Interrupted);
  EXPECT_GE(landed, 1u);
  EXPECT_LE(landed, 6u);
}

TEST(Grid, RefusesWhatIsNoGrid) {
  const auto refused = [](auto change) {
    ManyRuns study;
    return message_of([&] {
      change(study);
      (void)study.grid();
    });
  };
  for (const char* delay : {"-1", "1.5", "x", "1e9", "nan"}) {
    EXPECT_THAT(refused([&](ManyRuns& s) { s.set("delay", {"1", delay}); }), HasSubstr("no number of trading days"));
  }
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("delay", {}); }), HasSubstr("the axis delay has no values"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("dealy", {"1"}); }),
              AllOf(HasSubstr("no axis 'dealy'"), HasSubstr("'delay'")));
  EXPECT_THAT(refused([](ManyRuns& s) {
                s.set("delay", {"1", "2", "1"});
              }),
              HasSubstr("the axis delay has the same value twice"));
  EXPECT_THAT(refused([](ManyRuns& s) {
                s.set("schedule", {"1q", "3m", "1q"});
              }),
              HasSubstr("schedule has the same value"));
  const auto named = [](const char* level) {
    return [level](ManyRuns& s) {
      auto one = s.settings.grid.front();
      one.name = "dear";
      fill_axis(one, "schedule", {"1m"}, "");
      fill_axis(one, "cost-level", {level}, "");
      s.settings.grid.push_back(one);
    };
  };
  EXPECT_THAT(refused(named("3")), HasSubstr("every combination and cells 'dear' have a cell in common"));
  EXPECT_EQ(refused(named("4")), "nothing was thrown");
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("delay", {"1.5"}); }), HasSubstr("'1.5' is no number of trading days"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("cost-level", {"-1"}); }), HasSubstr("-1"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("cost-level", {"dear"}); }), HasSubstr("'dear' is no level of costs"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("estimator", {"one-facter"}); }), HasSubstr("one-factor"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.set("start", {"soon"}); }), HasSubstr("soon"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.settings.costs.clear(); }), HasSubstr("no trading costs whose level"));
  EXPECT_THAT(refused([](ManyRuns& s) {
                s.settings.costs.clear();
                s.set("cost-level", {"2"});
              }),
              HasSubstr("no trading costs whose level"));
  EXPECT_EQ(refused([](ManyRuns& s) {
              s.settings.costs.clear();
              s.set("cost-level", {"1"});
              s.set("schedule", {"1m"});
            }),
            "nothing was thrown");
  EXPECT_THAT(refused([](ManyRuns& s) { s.settings.grid.clear(); }), HasSubstr("it has no axes"));
  EXPECT_THAT(refused([](ManyRuns& s) { s.settings.split.reset(); }), HasSubstr("split"));
  Bytes other = Packer().add(std::string_view("inchtide inputs 9")).bytes();
  EXPECT_THAT(message_of([&] { (void)Grid(other); }), HasSubstr("inchtide inputs 9"));
}

TEST(Grid, LuckAmongCellsIsThatAmongTheSingleRuns) {
  ManyRuns study;
  study.set("cost-level", {"1"});
  study.set("schedule", {"never", "1m", "1q"});
  study.settings.risk_free = 0.03;
  const auto grid = study.grid();
  const CellRunner runner(grid);
  std::vector<GridRun> tries;
  for (const auto index : grid.all()) tries.push_back(runner.run(grid.cell(index), grid.name(index)));
  const auto cells = luck_among_cells(runner, tries, "1q", 12, {.draws = 200});
  auto settings = study.settings;
  settings.schedules = settings.grid.front().schedules;
  settings.aims = settings.grid.front().aims;
  settings.baseline = "1q";
  settings.tried = 12;
  const auto universe = universe_of(study.sources, settings);
  const auto basis = basis_before_split(universe, study.sources, settings);
  const auto portfolios = portfolios_of(basis, study.sources, settings);
  const auto runs = runs_of(universe, basis, portfolios, study.sources, settings);
  const auto alone = luck_with_timing(universe, basis, portfolios, study.sources, settings, runs, {.draws = 200});
  ASSERT_EQ(cells.luck.timing.size(), 2u) << "of a month and of a quarter, of the portfolio that stands out";
  for (std::size_t k = 0; k < 2; ++k) {
    const auto &one = cells.luck.timing[k], &other = alone.timing[k];
    EXPECT_EQ(one.aim, other.aim);
    EXPECT_EQ(one.schedule, other.schedule);
    EXPECT_EQ(one.starts, other.starts);
    EXPECT_EQ(one.lowest, other.lowest);
    EXPECT_EQ(one.highest, other.highest);
    EXPECT_LT(one.lowest, one.highest);
  }
  EXPECT_EQ(cells.luck.judged.p_value, alone.judged.p_value);
  EXPECT_EQ(cells.luck.judged.tries, alone.judged.tries);
  EXPECT_EQ(cells.luck.baseline, alone.baseline);
  ASSERT_EQ(cells.luck.judged.runs.size(), alone.judged.runs.size());
  for (std::size_t k = 0; k < alone.judged.runs.size(); ++k) {
    EXPECT_EQ(cells.luck.judged.runs[k].difference, alone.judged.runs[k].difference);
  }
  auto apart = tries;
  apart[1].cell.delay = 4;
  EXPECT_THAT(message_of([&] { (void)luck_among_cells(runner, apart, "", 0); }),
              HasSubstr("not walked over the same days"));
  EXPECT_THAT(message_of([&] { (void)luck_among_cells(runner, tries, "1w", 0); }), HasSubstr("'1w'"));
  EXPECT_THAT(message_of([&] { (void)luck_among_cells(runner, {}, "", 0); }), HasSubstr("there are no runs"));
}

TEST(Grid, AFigureThatIsNotKeptIsNamedWithTheNearest) {
  EXPECT_EQ(std::string(kept_figures()[kept_figure("SHARPE")].name), "sharpe");
  EXPECT_THAT(message_of([] { (void)kept_figure("sharp"); }), AllOf(HasSubstr("'sharp'"), HasSubstr("'sharpe'")));
}

}  // namespace
}  // namespace inchtide
