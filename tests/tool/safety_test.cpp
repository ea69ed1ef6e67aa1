// What a hostile or an unlucky user meets: nothing is overwritten, lost or run, and each failure is said.

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>
#include <map>
#include <random>
#include <thread>

#include "support/server.hpp"
#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string describe = "describe --prices " + demo + "/prices --assets KELPFARM,TIDEMILL";

std::string small_prices(const std::string& code) {
  std::string text = "date,close\n";
  for (int k = 1; k <= 28; ++k) text += fmt::format("2024-02-{:02},{}\n", k, 100 + (k * 7) % 5);
  return code.empty() ? text : "date," + code + text.substr(text.find('\n'));
}

TEST(Outputs, ADeviceIsWrittenToAndStays) {
  const Folder folder;
  EXPECT_EQ(run_tool(describe + " --quiet --json /dev/null").code, 0);
  EXPECT_EQ(fs::status("/dev/null").type(), fs::file_type::character);
  const auto full = run_tool(describe + " --quiet --json /dev/full");
  EXPECT_EQ(full.code, 3);
  EXPECT_THAT(full.err, HasSubstr("/dev/full: it cannot be written: No space left"));
}

TEST(Outputs, APipeIsWrittenToAndStays) {
  const Folder folder;
  const auto pipe = folder / "pipe";
  ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
  std::string read;
  std::thread reader([&] { read = text_of(pipe); });
  EXPECT_EQ(run_tool(describe + " --quiet --json " + pipe.string()).code, 0);
  reader.join();
  EXPECT_TRUE(nlohmann::json::accept(read));
  EXPECT_TRUE(fs::is_fifo(pipe));
}

TEST(Outputs, OfALinkItIsTheTargetThatIsReplaced) {
  const Folder folder;
  const auto target = folder.write("deep/target.json", "before");
  ::chmod(target.c_str(), 0640);
  fs::create_symlink("deep/target.json", folder / "link.json");
  fs::create_symlink("deep/new.json", folder / "dangling.json");
  for (const char* name : {"link.json", "dangling.json"}) {
    EXPECT_EQ(run_tool(describe + " --quiet --json " + (folder / name).string()).code, 0);
    EXPECT_TRUE(fs::is_symlink(folder / name));
    EXPECT_TRUE(nlohmann::json::accept(text_of(folder / name)));
  }
  EXPECT_EQ(fs::status(target).permissions(), fs::perms(0640)) << "its rights stay";
  EXPECT_TRUE(fs::is_regular_file(folder / "deep/new.json"));
}

TEST(Outputs, ThatAreNewHaveTheUsualRights) {
  const Folder folder;
  const auto file = folder / "a.json";
  EXPECT_EQ(run("umask 027; " + tool + " " + describe + " --quiet --json " + file.string()).code, 0);
  EXPECT_EQ(fs::status(file).permissions(), fs::perms(0640));
}

TEST(Outputs, NeverTakeThePlaceOfAnInput) {
  const Folder folder;
  folder.write("prices/KELPFARM.csv", small_prices(""));
  folder.write("prices/TIDEMILL.csv", small_prices(""));
  folder.write("tags.csv", "code,sector\nKELPFARM,x\nTIDEMILL,y\n");
  fs::create_hard_link(folder / "tags.csv", folder / "same.json");
  const auto before = text_of(folder / "tags.csv");
  const auto with = [&](const std::string& output) {
    return run(fmt::format("cd {} && {} describe --prices prices --tags tags.csv --every 1d --quiet {}",
                           folder.path().string(), tool, output));
  };
  for (const char* output : {"--json tags.csv", "--json same.json", "--json ./prices/../tags.csv",
                             "--json prices/KELPFARM.csv", "--csv prices", "--csv ."}) {
    const auto said = with(output);
    EXPECT_EQ(said.code, 1) << output;
    EXPECT_THAT(said.err, HasSubstr("which this run reads")) << output;
  }
  EXPECT_EQ(text_of(folder / "tags.csv"), before);
  EXPECT_EQ(text_of(folder / "prices/KELPFARM.csv"), small_prices(""));
  EXPECT_EQ(with("--json out.json --csv tables").code, 0);
}

TEST(Outputs, NeverTakeThePlaceOfEachOther) {
  const Folder folder;
  fs::create_directory(folder / "sub");
  const auto with = [&](const std::string& outputs) {
    return run(fmt::format("cd {} && {} {} --quiet {}", folder.path().string(), tool, describe, outputs));
  };
  for (const char* outputs : {"--json a.json --xlsx a.json", "--figure bars:a.svg --figure growth:sub/../a.svg",
                              "--json a.svg --figure a.svg"}) {
    const auto said = with(outputs);
    EXPECT_EQ(said.code, 1) << outputs;
    EXPECT_THAT(said.err, HasSubstr("two outputs of this run would be written to it")) << outputs;
  }
  EXPECT_EQ(with("--json /dev/null --xlsx b.xlsx --figure bars:b.svg").code, 0);
}

TEST(Outputs, AFigureWhoseNameEndsWithoutAColonIsAskedAbout) {
  const Folder folder;
  const auto said =
      run("cd " + folder.path().string() + " && " + tool + " " + describe + " --quiet --figure bars=a.svg");
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr("Write bars:a.svg"));
  EXPECT_EQ(run("cd " + folder.path().string() + " && " + tool + " " + describe + " --quiet --figure a=b.svg").code, 0);
}

TEST(Outputs, StandardOutputThatIsFullOrGoneIsAnError) {
  for (const std::string& arguments : {describe, describe + " --quiet --json -", std::string("--help")}) {
    const auto said = run("( " + tool + " " + arguments + " > /dev/full )");
    EXPECT_EQ(said.code, 3) << arguments;
    EXPECT_THAT(said.err, HasSubstr("standard output cannot be written")) << arguments;
  }
  const auto gone = run("bash -c '( sleep 0.2; " + tool + " " + describe + " ) | exit 0; exit ${PIPESTATUS[0]}'");
  EXPECT_EQ(gone.code, 3);
}

TEST(Outputs, AFileThatMayNotGrowIsAnErrorAndLeavesWhatWasThere) {
  const Folder folder;
  folder.write("a.json", "before");
  const auto said =
      run("ulimit -f 1; cd " + folder.path().string() + "; " + tool + " " + describe + " --quiet --json a.json");
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr("a.json: it cannot be written: File too large"));
  EXPECT_EQ(text_of(folder / "a.json"), "before");
  EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1);
}

TEST(Outputs, AreWholeOrAsTheyWereWhenARunIsStopped) {
  const Folder folder;
  const std::vector<std::string> command = {tool,       "inspect",
                                            "--prices", demo + "/prices",
                                            "--csv",    (folder / "out").string(),
                                            "--json",   (folder / "out/a.json").string(),
                                            "--xlsx",   (folder / "out/a.xlsx").string()};
  const auto names = [&] {
    std::map<std::string, std::string> files;
    for (const auto& entry : fs::directory_iterator(folder / "out")) {
      files[entry.path().filename().string()] = text_of(entry.path());
    }
    return files;
  };
  fs::create_directory(folder / "out");
  const auto begin = std::chrono::steady_clock::now();
  ASSERT_EQ(Background(command, folder / "o", folder / "e").wait(), 0) << text_of(folder / "e");
  const auto whole = std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - begin);
  const auto complete = names();
  ASSERT_GT(complete.size(), 4u);
  std::mt19937 random(3);
  std::size_t in_between = 0;
  constexpr int rounds = 15;
  for (int round = 0; round < rounds; ++round) {
    const bool over_old_ones = round % 2 == 0;
    for (const auto& [name, text] : complete) {
      fs::remove(folder / "out" / name);
      if (over_old_ones) folder.write("out/" + name, "old");
    }
    Background run(command, folder / "o", folder / "e");
    // Most of the time goes into reading; writing is near the end.
    const auto early = std::uint32_t(whole.count() / 3);
    std::this_thread::sleep_for(std::chrono::microseconds(early + random() % std::uint32_t(whole.count())));
    run.signal(round % 3 == 0 ? SIGTERM : round % 3 == 1 ? SIGINT : SIGKILL);
    run.wait();
    std::size_t written = 0;
    for (const auto& [name, text] : names()) {
      ASSERT_TRUE(complete.contains(name)) << name << " was left";
      if (over_old_ones && text == "old") continue;
      ++written;
      if (name == "a.xlsx") {  // it holds the time; a whole one ends like this
        ASSERT_GT(text.size(), 22u);
        ASSERT_EQ(text.substr(text.size() - 22, 4), "PK\5\6");
      } else {
        ASSERT_EQ(text, complete.at(name)) << name;
      }
    }
    in_between += written > 0 && written < complete.size() ? 1 : 0;
  }
  RecordProperty("stopped_between_two_files", int(in_between));
}

TEST(LongCalls, AreStoppedInGoodOrder) {
  const Folder folder;
  const std::vector<std::string> command = {tool,      "frontier", "--mandate", demo + "/mandate.toml",
                                            "--draws", "300000",   "--json",    (folder / "a.json").string()};
  for (int number : {SIGINT, SIGTERM}) {
    Background run(command, folder / "o", folder / "e");
    std::this_thread::sleep_for(std::chrono::seconds(4));  // into the draws, which take minutes
    run.signal(number);
    EXPECT_EQ(run.wait(), 130);
    EXPECT_THAT(text_of(folder / "e"), HasSubstr("inchtide: error: Stopped"));
    EXPECT_EQ(text_of(folder / "o"), "");
    EXPECT_FALSE(fs::exists(folder / "a.json"));
  }
}

#ifndef INCHTIDE_SANITIZE  // whose library has to be loaded first
TEST(OwnFaults, AreSaidToBeOursAndHaveACodeOfTheirOwn) {
  const auto said = run("LD_PRELOAD=" INCHTIDE_FAULT " " + tool + " " + describe);
  EXPECT_EQ(said.code, 70);
  EXPECT_THAT(said.err, HasSubstr("This is a fault of Inch Tide, not of your data: a broken part. Please report it"));
  EXPECT_EQ(said.out, "");
}
#endif

TEST(Outputs, TooLittleMemoryEndsInAnError) {
#ifndef INCHTIDE_SANITIZE
  const Folder folder;
  const auto file = folder / "huge.csv";
  folder.write("huge.csv", "date,close\n");
  fs::resize_file(file, std::uintmax_t(2) << 30);  // sparse
  const auto said = run("ulimit -v 1500000; " + tool + " describe --prices " + file.string());
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr("memory"));
#endif
}

TEST(Inputs, ThatDoNotEndAreRefused) {
  const Folder folder;
  fs::resize_file(folder.write("sparse.csv", "date,close\n"), std::uintmax_t(5) << 30);
  const auto said = run_tool("describe --prices " + (folder / "sparse.csv").string());
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr("sparse.csv: it holds more than 4 GiB, or does not end"));
}

TEST(Inputs, NestedWithoutEndAreErrors) {
  const Folder folder;
  const std::size_t deep = 200000;
  const auto json = folder.write("deep.json", std::string(deep, '[') + std::string(deep, ']'));
  const auto arrays = folder.write("arrays.toml", "x = " + std::string(deep, '[') + std::string(deep, ']') + "\n");
  const auto lines = folder.write("lines.toml", [&] {
    std::string text = "x = ";
    for (std::size_t k = 0; k < 5000; ++k) text += "[\n";
    return text;
  }());
  std::string keys = "a";
  for (int k = 0; k < 100000; ++k) keys += ".a";
  const auto dotted = folder.write("dotted.toml", keys + " = 1\n");
  const auto sections = folder.write("sections.toml", "[" + keys + "]\nx = 1\n");
  for (const auto& arguments : {"weigh --estimate " + json.string(), "inspect --mandate " + arrays.string(),
                                "inspect --mandate " + lines.string(), "inspect --mandate " + dotted.string(),
                                "inspect --mandate " + sections.string()}) {
    const auto said = run_tool(arguments);
    EXPECT_EQ(said.code, 1) << arguments;
    EXPECT_THAT(said.err, HasSubstr("more than 100 levels deep")) << arguments;
    EXPECT_LT(said.err.size(), 1000u);
  }
}

TEST(Inputs, NumbersOutOfRangeAreNamed) {
  const Folder folder;
  const auto with = [&](const std::string& arguments) { return run_tool("rehearse --mandate " + arguments); };
  const auto mandate = [&](const std::string& text) {
    return folder.write("m.toml", fmt::format("[universe]\nprices = \"{}/prices\"\n{}", demo, text)).string();
  };
  EXPECT_THAT(with(mandate("[rehearsal]\ndelay = 4294967296\n")).err,
              AllOf(HasSubstr("m.toml, line 4"), HasSubstr("4294967296 is not between 0 and")));
  EXPECT_THAT(with(mandate("[rehearsal]\nwealth = nan\n")).err, HasSubstr("nan is not between"));
  EXPECT_THAT(with(mandate("[rehearsal]\ndelay = -1\n")).err, HasSubstr("-1 is not between"));
  const auto frontier = "frontier --prices " + demo + "/prices ";
  EXPECT_THAT(run_tool(frontier + "--seed=-1 --cloud 10").err, HasSubstr("a seed is 0 or more"));
  EXPECT_THAT(run_tool(frontier + "--last 400000y").err, HasSubstr("longer than 10,000 years"));
  const auto weigh = "weigh --prices " + demo + "/prices --aim minimum-variance ";
  EXPECT_THAT(run_tool(weigh + "--patience=-1").err, HasSubstr("--patience: -1 is not between"));
  EXPECT_THAT(run_tool(weigh + "--patience nan").err, HasSubstr("--patience: nan is not between"));
  EXPECT_THAT(run_tool(weigh + "--periods-per-year nan").err, HasSubstr("--periods-per-year: nan is not between"));
  EXPECT_THAT(run_tool(weigh + "--limit 'each <= nan%'").err, HasSubstr("'nan%' is not a figure"));
  EXPECT_THAT(run_tool(weigh + "--after-costs --cost 10bp --horizon nan").err,
              HasSubstr("--horizon: nan is not between"));
}

TEST(Names, OfPricesAndTagsAreChecked) {
  const Folder folder;
  const auto complaint = [&](const std::string& heading) {
    return run_tool("describe --every 1d --prices " + folder.write("wide.csv", small_prices(heading)).string());
  };
  for (const std::string bad : {"A\x1B[2J", "\xFF", "\xE2\x80\xAEx"}) {
    const auto said = complaint(bad + "," + "B");
    EXPECT_EQ(said.code, 1);
    EXPECT_THAT(said.err, AllOf(HasSubstr("wide.csv"), HasSubstr("cannot be a name"), Not(HasSubstr("\x1B"))));
  }
  const auto tags = folder.write("tags.csv", "code,sector\nKELPFARM,a\nTIDEMILL,b\x07z\n");
  const auto said = run_tool(describe + " --tags " + tags.string());
  EXPECT_THAT(said.err, AllOf(HasSubstr("tags.csv, line 3, column sector"), HasSubstr("U+0007")));
}

TEST(Names, ReachATerminalOnlyAsTheyCanBeShown) {
  const Folder folder;
  folder.write("p/A.csv", "date,close\n2024-01-02,1\n2024-01-03,\x1B]0;owned\x07\n");
  const auto said = run_tool("describe --prices " + (folder / "p").string());
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, AllOf(Not(HasSubstr("\x1B")), Not(HasSubstr("\x07")), HasSubstr("owned")));
  folder.write("p/A.csv", "date,close\n2024-01-02,1\n2024-01-03," + std::string(1 << 20, 'x') + "\n");
  EXPECT_LT(run_tool("describe --prices " + (folder / "p").string()).err.size(), 1000u) << "long cells are cut";
}

TEST(Inputs, ALinkThatLeadsNowhereIsSaid) {
  const Folder folder;
  folder.write("p/A.csv", small_prices(""));
  fs::create_symlink("nowhere.csv", folder / "p/B.csv");
  const auto said = run_tool("describe --every 1d --prices " + (folder / "p").string());
  EXPECT_EQ(said.code, 4) << "A is there nevertheless";
  EXPECT_THAT(said.err, AllOf(HasSubstr("B.csv: there is no such file"), Not(HasSubstr("filesystem error"))));
  const auto gathered =
      run_tool(fmt::format("gather --store {}/s.store --prices {}/p", folder.path().string(), folder.path().string()));
  EXPECT_EQ(gathered.code, 4) << "A is there nevertheless";
}

TEST(Inputs, ThousandsOfColumnsCostLinearTime) {
  const Folder folder;
  std::string header = "date,close", row = "2024-01-02,1", next = "2024-01-03,2";
  for (int k = 0; k < 200000; ++k) {
    header += ",c" + std::to_string(k);
    row += ",";
    next += ",";
  }
  folder.write("p/A.csv", header + "\n" + row + "\n" + next + "\n");
  const auto said = run("ulimit -t 60; " + tool + " describe --every 1d --prices " + (folder / "p").string());
  EXPECT_EQ(said.code, 1) << "the quadratic way takes minutes, and is stopped";
  EXPECT_THAT(said.err, HasSubstr("A: 1 return is too few"));
}

}  // namespace
}  // namespace inchtide::test
