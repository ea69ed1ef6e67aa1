#include "hosts.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <spdlog/spdlog.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <sstream>

#include "child.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

constexpr int usual_retries = 3;
constexpr std::chrono::seconds to_answer{10}, to_end{10};
constexpr std::chrono::milliseconds between_looks{100};

struct Host {
  std::string name;
  int threads = 0;  // 0: all it has
};

std::string this_host() {
  std::array<char, 256> name{};
  gethostname(name.data(), name.size() - 1);
  return name.data();
}

/// The machines of a list, this one first, as its rank fills the store; none of an allocation, which knows them itself.
std::vector<Host> hosts_of(const std::string& list) {
  if (same_name(list, "slurm")) {
    if (std::getenv("SLURM_JOB_ID") != nullptr) return {};
    throw WrongUsage("--hosts", "this is no Slurm allocation", Remedy("Start it within one, or name the machines"));
  }
  std::vector<Host> hosts;
  for (std::size_t begin = 0; begin <= list.size();) {
    const auto end = std::min(list.find(',', begin), list.size());
    const auto word = list.substr(begin, end - begin);
    const auto colon = word.find(':');
    const auto threads = colon == std::string::npos ? 0.0 : parse_number(word.substr(colon + 1)).value_or(-1);
    const auto name = word.substr(0, colon);
    const bool plain = !name.empty() && name.front() != '-' &&
                       name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.-_") ==
                           std::string::npos;
    if (!plain || threads < 0 || threads > 4096 || threads != double(int(threads))) {
      throw WrongUsage("--hosts", fmt::format("'{}' is no machine with its threads", word),
                       Remedy("Write them like desk1:8,desk2:16"));
    }
    const bool twice = std::ranges::any_of(hosts, [&](const Host& h) { return same_name(h.name, name); });
    if (twice) throw WrongUsage("--hosts", fmt::format("'{}' is named twice", name), Remedy("Name it once"));
    hosts.push_back({name, int(threads)});
    begin = end + 1;
  }
  const auto here = std::ranges::find_if(
      hosts, [](const Host& h) { return same_name(h.name, this_host()) || same_name(h.name, "localhost"); });
  if (here == hosts.end()) {
    hosts.insert(hosts.begin(), {this_host(), 1});
  } else {
    std::rotate(hosts.begin(), here, here + 1);
    hosts.front().name = this_host();
  }
  return hosts;
}

/// Threads of each machine that Slurm gave, from its "16(x2),8"; all that a machine has where it doesn't say.
std::vector<std::string> threads_of_allocation() {
  const char* given = std::getenv("SLURM_JOB_CPUS_PER_NODE");
  std::vector<std::string> threads;
  std::istringstream words(given == nullptr ? "" : given);
  for (std::string word; std::getline(words, word, ',');) {
    int count = 0, times = 1;
    if (std::sscanf(word.c_str(), "%d(x%d)", &count, &times) < 1 || count < 1 || times < 1) return {};
    threads.insert(threads.end(), std::size_t(times), std::to_string(count));
  }
  return threads;
}

/// What starts a program on another machine, as mpirun has it.
std::vector<std::string> agent() {
  if (const char* own = std::getenv("OMPI_MCA_plm_rsh_agent")) return {own};
  return {"ssh", "-o", "BatchMode=yes", "-o", "ConnectTimeout=5"};
}

bool answers(const Host& host) {
  auto words = agent();
  words.insert(words.end(), {host.name, "true"});
  Child child(words);
  for (const auto begin = Clock::now(); Clock::now() - begin < to_answer;) {
    child.lines(between_looks);
    if (const auto code = child.ended()) return *code == 0;
  }
  return false;
}

/// Those that answer; the others are named.
std::vector<Host> answering(const std::vector<Host>& hosts) {
  std::vector<Host> there;
  for (const auto& host : hosts) {
    if (&host == &hosts.front() || answers(host)) {
      there.push_back(host);
    } else {
      spdlog::warn("{} does not answer, and is left out", host.name);
    }
  }
  return there;
}

/// The job as a file beside the store, gone afterwards.
class JobFile {
 public:
  JobFile(const Grid& grid, const std::vector<std::size_t>& cells, const std::string& store)
      : path_(fmt::format("{}.job-{}", fs::absolute(store).string(), getpid())) {
    const auto bytes = GridJob{grid.job(), cells}.to_bytes();
    exchange::write_text_file(path_, {reinterpret_cast<const char*>(bytes.data()), bytes.size()});
  }
  JobFile(const JobFile&) = delete;
  JobFile& operator=(const JobFile&) = delete;
  ~JobFile() {
    std::error_code ignored;
    fs::remove(path_, ignored);
  }
  [[nodiscard]] std::string path() const { return path_.string(); }

 private:
  fs::path path_;
};

std::string rank_program() {
  std::error_code error;
  const auto beside = fs::read_symlink("/proc/self/exe", error).parent_path() / "inchtide-rank";
  if (!error && fs::exists(beside, error)) return beside.string();
  throw OutsideFailure("--hosts", "this installation has no inchtide-rank",
                       "Install openmpi-bin and libopenmpi-dev, and build again");
}

/// mpirun and all that it is to do; no retry of its own: what is lost is dealt again.
std::vector<std::string> command_for(const std::vector<Host>& hosts, const std::string& job, const std::string& store) {
  std::vector<std::string> words = {"mpirun.openmpi", "--bind-to", "none", "--oversubscribe"};
  for (const auto& [name, value] : {std::pair("oob_tcp_keepalive_time", "5"), std::pair("oob_tcp_keepalive_intvl", "2"),
                                    std::pair("oob_tcp_keepalive_probes", "3")}) {
    words.insert(words.end(), {"--mca", name, value});
  }
  if (std::getenv("OPENBLAS_CORETYPE") != nullptr) words.insert(words.end(), {"-x", "OPENBLAS_CORETYPE"});
  std::vector<std::string> names, threads = hosts.empty() ? threads_of_allocation() : std::vector<std::string>();
  for (const auto& host : hosts) {
    names.push_back(host.name);
    threads.push_back(std::to_string(host.threads));
  }
  if (hosts.size() == 1) {
    words.insert(words.end(), {"-n", "1"});  // this one needs no name
  } else {
    words.insert(words.end(), {"--map-by", "ppr:1:node"});
    if (!hosts.empty()) words.insert(words.end(), {"--host", fmt::format("{}", fmt::join(names, ","))});
  }
  words.insert(words.end(), {rank_program(), "--job", job, "--runs", fs::absolute(store).string(), "--threads",
                             threads.empty() ? "0" : fmt::format("{}", fmt::join(threads, ","))});
  return words;
}

/// Kernels of the linear algebra choose themselves by the processor, and last digits with them: the same for all.
void settle_kernels(const std::vector<Host>& hosts) {
  if (hosts.size() == 1) return;
#if defined(__x86_64__)
  setenv("OPENBLAS_CORETYPE", "Haswell", 0);
#endif
}

/// What became of the ranks that were started once.
struct Started {
  std::size_t landed = 0;
  bool done = false, stopped = false;
  int code = 0;
  std::string complaints;
};

Started run_ranks(const std::vector<std::string>& command, std::size_t before, std::size_t all, const Watch& watch) {
  Child ranks(command);
  Started started;
  bool told = false;
  std::optional<Clock::time_point> finished;
  for (;;) {
    for (const auto& line : ranks.lines(between_looks)) {
      std::size_t landed = 0, of = 0;
      if (std::sscanf(line.c_str(), "landed %zu of %zu", &landed, &of) == 2) {
        started.landed = landed;
        watch.done(before + landed, all);
      }
      started.done = started.done || line == "done";
      started.stopped = started.stopped || line == "stopped";
    }
    if (const auto code = ranks.ended()) {
      started.code = *code;
      break;
    }
    if (!told && watch.stop && watch.stop()) {
      told = true;
      ranks.tell(SIGUSR1);  // which it hands on
    }
    if (!finished && (started.done || started.stopped)) finished = Clock::now();
    if (finished && Clock::now() - *finished > to_end) {
      spdlog::warn("mpirun stayed when all was done, and was ended");
      break;
    }
  }
  started.stopped = started.stopped || (told && !started.done);
  started.complaints = ranks.complaints();
  return started;
}

/// The last line that says something.
std::string last_words(const std::string& complaints) {
  std::string last;
  for (std::size_t begin = 0; begin < complaints.size();) {
    const auto end = std::min(complaints.find('\n', begin), complaints.size());
    const auto line = complaints.substr(begin, end - begin);
    if (line.find_first_not_of(" -\r") != std::string::npos) last = line;
    begin = end + 1;
  }
  return last.empty() ? "it said nothing" : last;
}

}  // namespace

void run_on_hosts(const Grid& grid, const std::vector<std::size_t>& cells, const exchange::RunStore& store,
                  const Options& options, const Watch& watch) {
  if (cells.empty()) return;
  auto hosts = hosts_of(options.hosts);
  settle_kernels(hosts);
  setenv("OMPI_ALLOW_RUN_AS_ROOT", "1", 0);
  setenv("OMPI_ALLOW_RUN_AS_ROOT_CONFIRM", "1", 0);
  auto left = cells;
  for (int tries = 0;; ++tries) {
    if (hosts.size() > 1) hosts = answering(hosts);
    const JobFile job(grid, left, options.runs);
    const auto before = cells.size() - left.size();
    const auto started = run_ranks(command_for(hosts, job.path(), options.runs), before, cells.size(), watch);
    if (started.done) return;
    std::erase_if(left, [&](std::size_t cell) { return store.knows(grid.key(grid.cell(cell))); });
    if (left.empty()) return;
    const auto landed = cells.size() - left.size();
    if (started.stopped) {
      throw Interrupted("grid", fmt::format("stopped; {} of {} cells landed in {}", landed, cells.size(), options.runs),
                        "The same command goes on with the others");
    }
    if (landed == before || tries >= options.retries.value_or(usual_retries)) {
      throw OutsideFailure("--hosts",
                           fmt::format("the ranks ended ({}) when {} of {} cells had landed in {}: {}", started.code,
                                       landed, cells.size(), options.runs, last_words(started.complaints)),
                           "Mend it; the same command goes on with the others");
    }
    spdlog::warn("A rank or its machine died when {} of {} cells had landed; it goes on with the others", landed,
                 cells.size());
  }
}

}  // namespace inchtide::app
