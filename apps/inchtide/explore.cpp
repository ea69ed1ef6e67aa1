// inchtide explore: the page of a study, live: limits, methods and rules are changed in it.

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <unistd.h>

#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <filesystem>

#include "checks.hpp"
#include "inchtide/base/errors.hpp"
#include "live_server.hpp"
#include "output.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

/// 90s, 30m or 2h.
std::optional<std::chrono::seconds> idle_of(const std::string& text) {
  if (text.empty()) return std::nullopt;
  int count = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), count);
  const std::string unit(read.ptr, text.data() + text.size());
  const int seconds = unit == "s" ? 1 : unit == "m" ? 60 : unit == "h" ? 3600 : 0;
  if (read.ec != std::errc() || count <= 0 || seconds == 0 || count > 1'000'000 / seconds) {
    throw WrongUsage("--idle", fmt::format("'{}' is no time to wait", text), "Write it like 90s, 30m or 2h");
  }
  return std::chrono::seconds(count * seconds);
}

/// A file that leads a browser to the address, so that its token stands in no list of processes. It goes with this.
class WayIn {
 public:
  explicit WayIn(const std::string& address) {
    std::string name = (fs::temp_directory_path() / "inchtide-XXXXXX.html").string();
    const int file = mkostemps(name.data(), 5, O_CLOEXEC);  // for this user alone
    if (file < 0) throw OutsideFailure(name, std::strerror(errno), "See that the folder can be written");
    path_ = name;
    const auto text = fmt::format(
        "<!doctype html><meta charset=\"utf-8\"><meta http-equiv=\"refresh\" content=\"0; url={0}\">"
        "<a href=\"{0}\">The study</a>\n",
        address);
    const bool whole = write(file, text.data(), text.size()) == ssize_t(text.size());
    close(file);
    if (!whole) throw OutsideFailure(name, "it cannot be written", "See that there is room");
  }
  ~WayIn() {
    std::error_code unknown;
    fs::remove(path_, unknown);
  }
  WayIn(const WayIn&) = delete;
  WayIn& operator=(const WayIn&) = delete;

  const std::string& path() const { return path_; }

 private:
  std::string path_;
};

/// In a session of its own: a browser that was not open yet stays when this ends.
void open_in_browser(const std::string& file) {
  posix_spawn_file_actions_t actions;
  posix_spawnattr_t attributes;
  posix_spawn_file_actions_init(&actions);
  for (const int stream : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) {
    posix_spawn_file_actions_addopen(&actions, stream, "/dev/null", O_RDWR, 0);
  }
  posix_spawnattr_init(&attributes);
  posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSID | POSIX_SPAWN_SETSIGDEF);
  sigset_t usual;
  sigemptyset(&usual);
  sigaddset(&usual, SIGPIPE);
  sigaddset(&usual, SIGXFSZ);
  posix_spawnattr_setsigdefault(&attributes, &usual);
  std::string program = "xdg-open", argument = file;
  char* words[] = {program.data(), argument.data(), nullptr};
  pid_t process = -1;
  const int code = posix_spawnp(&process, words[0], &actions, &attributes, words, environ);
  posix_spawn_file_actions_destroy(&actions);
  posix_spawnattr_destroy(&attributes);
  if (code == 0) return;
  throw OutsideFailure(program, std::strerror(code), "Install xdg-utils, or open the address yourself, without --open");
}

void run_explore(const Options& options) {
  if (options.mandate.empty()) {
    throw WrongUsage("--mandate", "a mandate is explored, and none was given", Remedy("Name its file"));
  }
  const auto idle = idle_of(options.idle);
  const auto watch = watched(options);
  LiveStudy study(options);
  LiveServer server(study, options.port.value_or(0));
  std::optional<WayIn> way;
  if (options.open) {
    way.emplace(server.address());
    open_in_browser(way->path());
    to_screen("The study opens in your browser. Ctrl-C ends it.\n");
  } else {
    to_screen(fmt::format(
        "Open {}\nIt is for you alone: who has the address can change what is computed here. Ctrl-C ends it.\n",
        server.address()));
  }
  server.serve(watch.stop, idle);
}

}  // namespace

void add_explore(CLI::App& tool, Options& options) {
  auto& command = add_command(tool, options, "explore", "The page of a study, live: change limits and rules in it",
                              "  inchtide explore --mandate demo/mandate.toml\n"
                              "  inchtide explore --mandate demo/mandate.toml --open --idle 30m",
                              [&options] { run_explore(options); });
  add_input_options(command, options);
  add_explore_options(command, options);
}

}  // namespace inchtide::app
