#include "gnuplot_process.hpp"

#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstring>
#include <thread>

#include "inchtide/base/errors.hpp"
#include "memory_file.hpp"

extern char** environ;

namespace inchtide::report {
namespace {

/// Starts gnuplot without its users' own settings; script, picture and messages are its three streams.
pid_t start_gnuplot(const MemoryFile& script, const MemoryFile& picture, const MemoryFile& messages,
                    const std::vector<int>& open) {
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, script.descriptor(), STDIN_FILENO);
  posix_spawn_file_actions_adddup2(&actions, picture.descriptor(), STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&actions, messages.descriptor(), STDERR_FILENO);
  for (const int descriptor : open) posix_spawn_file_actions_adddup2(&actions, descriptor, descriptor);
  std::string program = "gnuplot", plain = "-d", file = "/dev/stdin";
  char* arguments[] = {program.data(), plain.data(), file.data(), nullptr};
  pid_t process = 0;
  const int started = posix_spawnp(&process, "gnuplot", &actions, nullptr, arguments, environ);
  posix_spawn_file_actions_destroy(&actions);
  if (started == ENOENT) {
    throw OutsideFailure(
        {}, "gnuplot is not installed, so no figure can be drawn",
        {"Install it (apt-get install gnuplot-nox)", "leave the figure out; everything else works without it"});
  }
  if (started != 0) throw OutsideFailure(fmt::format("gnuplot could not be started: {}", std::strerror(started)));
  return process;
}

/// Waits for a process to end and returns its status; one that takes too long is stopped: nothing is returned.
std::optional<int> status_of(pid_t process, std::chrono::milliseconds patience) {
  const auto end = std::chrono::steady_clock::now() + patience;
  int status = 0;
  for (;;) {
    const auto ended = waitpid(process, &status, WNOHANG);
    if (ended == process) return status;
    if (ended < 0 && errno != EINTR) return status;
    if (std::chrono::steady_clock::now() > end) break;
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  ::kill(process, SIGKILL);
  while (waitpid(process, &status, 0) < 0 && errno == EINTR) {
  }
  return std::nullopt;
}

}  // namespace

GnuplotAnswer run_gnuplot(const std::string& script, std::chrono::milliseconds patience, const std::vector<int>& open) {
  const MemoryFile input(script), picture, messages;
  const auto status = status_of(start_gnuplot(input, picture, messages, open), patience);
  return {status, picture.content(), messages.content()};
}

}  // namespace inchtide::report
