// Grids and other jobs on many ranks: the same as on threads, whatever dies. Where network namespaces can be made,
// three of them are three machines; else all ranks are on this one, and the tests of machines say that they were not
// run.

#include <gmock/gmock.h>
#include <unistd.h>

#include <array>
#include <cstdlib>
#include <fstream>
#include <map>
#include <sstream>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string ranks = std::string(INCHTIDE_BIN) + "/cluster-ranks ";
const std::string as_root = "OMPI_ALLOW_RUN_AS_ROOT=1 OMPI_ALLOW_RUN_AS_ROOT_CONFIRM=1 ";

Said on_ranks(int count, const std::string& words) {
  return run("env " + as_root + "timeout -k 5 60 mpirun.openmpi --oversubscribe --bind-to none -n " +
             std::to_string(count) + " " + ranks + words);
}

TEST(Ranks, AnyNumberOfThemGiveTheSameRecords) {
  const auto one = on_ranks(1, "squares 200");
  ASSERT_EQ(one.code, 0) << one.err;
  EXPECT_EQ(std::ranges::count(one.out, '\n'), 200);
  EXPECT_THAT(one.out, HasSubstr("\n10 piece: this one has no square"));
  for (const int count : {2, 6}) {
    const auto several = on_ranks(count, "squares 200");
    EXPECT_EQ(several.code, 0) << several.err;
    EXPECT_EQ(several.out, one.out) << count;
  }
}

TEST(Ranks, ShareWorkThatWaits) {
  const auto said = on_ranks(6, "sleep 120 0.05");
  ASSERT_EQ(said.code, 0) << said.err;
  std::istringstream words(said.out);
  double landed = 0, seconds = 0;
  words >> landed >> seconds;
  EXPECT_EQ(landed, 120);
  EXPECT_LT(seconds, 0.5 * 120 * 0.05) << "six take a sixth of 6 s; the bench says how near they come";
}

TEST(Ranks, AFailureThatIsNoErrorOfOursEndsAll) {
  const auto said = on_ranks(3, "fail 40");
  EXPECT_NE(said.code, 0);
  EXPECT_THAT(said.err, HasSubstr("a lamp went out"));
}

TEST(Ranks, OneThatCannotOpenTheJobIsNamed) {
  const auto said = on_ranks(3, "refuse");
  EXPECT_NE(said.code, 0);
  EXPECT_THAT(said.err, AllOf(HasSubstr("cannot open the job"), HasSubstr("there is no lamp oil here")));
}

const std::string small = "rehearse" + mandate + "--draws 0 --grid estimator=sample --grid window=all ";

json all_in(const std::string& store) {
  auto runs = result_of("runs --sort name --lowest --top 0 --runs " + store)["runs"];
  for (auto& run : runs) run.erase("numerics");
  return runs;
}

TEST(Hosts, OneMachineAsARankIsTheToolItself) {
  const Folder folder;
  const auto here = (folder / "here.runs").string(), ranked = (folder / "ranked.runs").string();
  result_of(small + "--runs " + here);
  const auto result = result_of(small + "--hosts localhost:2 --runs " + ranked);
  EXPECT_EQ(result["cells"], 220);
  EXPECT_EQ(all_in(ranked), all_in(here));
  const auto again = result_of(small + "--hosts localhost:2 --runs " + ranked);
  EXPECT_EQ(again["there"], 220);
  int left = 0;
  for (const auto& entry : std::filesystem::directory_iterator(folder.path())) {
    left += entry.path().string().find(".job") != std::string::npos;
  }
  EXPECT_EQ(left, 0) << "the job's file is gone";
}

/// Starts a grid on hosts, does something once runs have landed, and waits for its end.
Said disturbed(const Folder& folder, const std::string& words, const std::string& store, const std::string& disturb) {
  const auto script = folder.write(
      "disturb.sh", words + " >" + (folder / "out").string() + " 2>" + (folder / "err").string() +
                        " &\nmaking=$!\nfor try in $(seq 600); do\n  " + tool + " runs --json - --quiet --runs " +
                        store + " 2>/dev/null | grep -q '\"key\"' && break\n  sleep 0.05\ndone\n" + disturb +
                        "\nwait $making\n");
  auto said = run("bash " + script.string());
  said.err = text_of(folder / "err");
  return said;
}

// Enough work that it is still under way when it is disturbed.
const std::string long_grid = tool + " rehearse" + mandate +
                              "--draws 0 --quiet --reestimate 1m --grid estimator=sample --grid window=all "
                              "--grid delay=0,1,2 --grid cost-level=1,2 ";

TEST(Hosts, ARankThatIsKilledCostsNothing) {
  const Folder folder;
  const auto store = (folder / "a.runs").string();
  const auto said =
      disturbed(folder, long_grid + "--hosts localhost:1 --runs " + store, store, "pkill -9 -n inchtide-rank");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("it goes on with the others"));
  const auto undisturbed = (folder / "b.runs").string();
  EXPECT_EQ(run(long_grid + "--runs " + undisturbed).code, 0);
  EXPECT_EQ(all_in(store), all_in(undisturbed));
}

TEST(Hosts, WithoutRetriesItSaysWhatLanded) {
  const Folder folder;
  const auto store = (folder / "a.runs").string();
  const auto said = disturbed(folder, long_grid + "--hosts localhost:1 --retries 0 --runs " + store, store,
                              "pkill -9 -n inchtide-rank");
  EXPECT_EQ(said.code, 3) << said.err;
  EXPECT_THAT(said.err, AllOf(HasSubstr("cells had landed in"), HasSubstr("the same command goes on")));
}

TEST(Hosts, StoppedTheyKeepWhatLanded) {
  const Folder folder;
  const auto store = (folder / "a.runs").string();
  const auto said = disturbed(folder, long_grid + "--hosts localhost:1 --runs " + store, store, "kill -INT $making");
  EXPECT_EQ(said.code, 130) << said.err;
  EXPECT_THAT(said.err, AllOf(HasSubstr("cells landed in"), HasSubstr("goes on with the others")));
  EXPECT_GT(all_in(store).size(), 0u);
  EXPECT_NE(run("pgrep -x inchtide-rank").code, 0) << "no rank stays";
}

TEST(Hosts, WhatCannotBeIsSaid) {
  const Folder folder;
  const auto store = (folder / "a.runs").string();
  for (auto [words, code, said] : std::vector<std::tuple<std::string, int, std::string>>{
           {small + "--hosts localhost:2", 2, "--hosts: it does nothing without --runs"},
           {"rehearse" + mandate + "--hosts localhost:2", 2, "--hosts: it does nothing without --grid"},
           {small + "--retries 2 --runs " + store, 2, "--retries: it does nothing without --hosts"},
           {small + "--hosts desk1:x --runs " + store, 2, "'desk1:x' is no machine with its threads"},
           {small + "--hosts 'a;b:1' --runs " + store, 2, "is no machine"},
           {small + "--hosts desk1:1,desk1:2 --runs " + store, 2, "'desk1' is named twice"},
           {small + "--hosts slurm --runs " + store, 2, "this is no Slurm allocation"}}) {
    const auto result = run_tool(words);
    EXPECT_EQ(result.code, code) << words << result.err;
    EXPECT_THAT(result.err, HasSubstr(said)) << words;
  }
  // What it would start within an allocation: one rank a machine, with the threads that were given there.
  folder.write("mpirun.openmpi", "#!/bin/sh\necho \"$*\" >&2\nexit 1\n");
  const auto asked = [&](const std::string& given) {
    return run("chmod +x " + (folder / "mpirun.openmpi").string() + "; env PATH=" + folder.path().string() +
               ":$PATH SLURM_JOB_ID=7 " + given + " " + tool + " " + small + "--hosts slurm --retries 0 --runs " +
               store);
  };
  const auto several = asked("SLURM_JOB_CPUS_PER_NODE='16(x2),8'");
  EXPECT_EQ(several.code, 3) << several.err;
  EXPECT_THAT(several.err,
              AllOf(HasSubstr("--map-by ppr:1:node "), HasSubstr("--threads 16,16,8"), Not(HasSubstr("--host "))));
  EXPECT_THAT(asked("").err, HasSubstr("--threads 0")) << "all of each";
  EXPECT_THAT(asked("SLURM_JOB_CPUS_PER_NODE=many").err, HasSubstr("--threads 0"));
  const auto missing = run("env PATH=/nowhere " + tool + " " + small + "--hosts localhost:1 --runs " + store);
  EXPECT_EQ(missing.code, 3) << missing.err;
  EXPECT_THAT(missing.err, HasSubstr("mpirun.openmpi"));
}

/// Three machines: network and host-name namespaces of their own, joined by a bridge. Only root may make them, and not
/// in every sandbox.
class Machines {
 public:
  Machines() {
    const auto up = [&](const std::string& words) { made_ = made_ && run(words + " 2>/dev/null").code == 0; };
    up("ip link add itbridge type bridge");
    up("ip addr add 10.91.7.1/24 dev itbridge");
    up("ip link set itbridge up");
    for (int k = 2; k <= 3; ++k) {
      const auto name = "itdesk" + std::to_string(k), number = std::to_string(k);
      up("ip netns add " + name);
      up("ip link add itveth" + number + " type veth peer name eth0 netns " + name);
      up("ip link set itveth" + number + " master itbridge up");
      up("ip netns exec " + name + " ip addr add 10.91.7." + number + "/24 dev eth0");
      up("ip netns exec " + name + " ip link set eth0 up");
      up("ip netns exec " + name + " ip link set lo up");
    }
    agent_ = folder_
                 .write("agent.sh", "#!/bin/bash\nhost=$1\nshift\n[ -e /run/netns/$host ] && [ ! -e " +
                                        (folder_ / "gone-").string() +
                                        "$host ] || exit 1\n"
                                        "exec ip netns exec $host unshare -u sh -c \"hostname $host; $*\"\n")
                 .string();
    made_ = made_ && run("chmod +x " + agent_).code == 0 && run(agent_ + " itdesk2 true").code == 0;
  }
  ~Machines() {
    for (const char* name : {"itdesk2", "itdesk3"}) run(std::string("ip netns del ") + name + " 2>/dev/null");
    for (const char* name : {"itveth2", "itveth3", "itbridge"})
      run(std::string("ip link del ") + name + " 2>/dev/null");
  }
  Machines(const Machines&) = delete;
  Machines& operator=(const Machines&) = delete;

  /// Its link goes down, and nobody hears of it again.
  [[nodiscard]] std::string lose_third() const {
    return "ip link set itveth3 down; touch " + (folder_ / "gone-itdesk3").string();
  }
  [[nodiscard]] bool made() const { return made_; }
  [[nodiscard]] static std::string here() {
    std::array<char, 256> name{};
    gethostname(name.data(), name.size() - 1);
    return name.data();
  }
  [[nodiscard]] std::string environment() const {
    return "env OMPI_MCA_plm_rsh_agent=" + agent_ +
           " OMPI_MCA_oob_tcp_if_include=10.91.7.0/24 OMPI_MCA_btl_tcp_if_include=10.91.7.0/24 timeout -k 5 110 ";
  }

 private:
  Folder folder_;
  std::string agent_;
  bool made_ = true;
};

constexpr const char* no_machines = "network namespaces cannot be made here: machines were not tried";

TEST(Hosts, ThreeMachinesGiveTheSameRuns) {
  const Machines machines;
  if (!machines.made()) GTEST_SKIP() << no_machines;
  const Folder folder;
  const auto three = (folder / "three.runs").string(), one = (folder / "one.runs").string();
  const auto said = run(machines.environment() + long_grid + "--hosts itdesk2:1,itdesk3:1,nobody:4 --runs " + three);
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("nobody does not answer, and is left out"));
  EXPECT_EQ(run("env OPENBLAS_CORETYPE=Haswell " + long_grid + "--runs " + one).code, 0);
  EXPECT_EQ(all_in(three), all_in(one));
}

TEST(Hosts, InputsGoToEachMachineOnce) {
  const Machines machines;
  if (!machines.made()) GTEST_SKIP() << no_machines;
  const auto sent = [](const std::string& name) {
    double bytes = 0;
    std::ifstream("/sys/class/net/" + name + "/statistics/tx_bytes") >> bytes;
    return bytes;
  };
  const double before[] = {sent("itveth2"), sent("itveth3")};
  const auto said = run(machines.environment() + "env " + as_root +
                        "mpirun.openmpi --oversubscribe --bind-to none --map-by ppr:1:node --host " + Machines::here() +
                        ",itdesk2,itdesk3 " + ranks + "carry 6 100000000");
  ASSERT_EQ(said.code, 0) << said.err;
  for (const auto& [name, had] : {std::pair("itveth2", before[0]), std::pair("itveth3", before[1])}) {
    const double got = sent(name) - had;
    EXPECT_GT(got, 1.00e8) << name;
    EXPECT_LT(got, 1.08e8) << name << ": all of it, what packets take, and no second time";
  }
}

TEST(Hosts, AMachineThatVanishesIsLeftOut) {
  const Machines machines;
  if (!machines.made()) GTEST_SKIP() << no_machines;
  const Folder folder;
  const auto store = (folder / "a.runs").string(), one = (folder / "one.runs").string();
  const auto said =
      disturbed(folder, machines.environment() + long_grid + "--hosts itdesk2:1,itdesk3:1 --runs " + store, store,
                machines.lose_third());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("it goes on with the others"));
  EXPECT_EQ(run("env OPENBLAS_CORETYPE=Haswell " + long_grid + "--runs " + one).code, 0);
  EXPECT_EQ(all_in(store), all_in(one));
}

}  // namespace
}  // namespace inchtide::test
