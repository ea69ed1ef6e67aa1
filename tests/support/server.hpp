#pragma once
// The stand-in price provider, running for the length of a test.

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <stdexcept>
#include <string>
#include <thread>
#include <vector>

#include "support/process.hpp"

extern char** environ;

namespace inchtide::test {

// A program in the background, killed at the end unless it ended before.
class Background {
 public:
  Background(const std::vector<std::string>& command, const fs::path& out, const fs::path& err) {
    std::vector<char*> arguments;
    for (const auto& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, out.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, err.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (posix_spawn(&process_, arguments[0], &actions, nullptr, arguments.data(), environ) != 0) {
      throw std::runtime_error("cannot start " + command[0]);
    }
    posix_spawn_file_actions_destroy(&actions);
  }
  Background(const Background&) = delete;
  Background& operator=(const Background&) = delete;
  ~Background() {
    if (process_ > 0) {
      signal(SIGKILL);
      wait();
    }
  }

  void signal(int number) const { ::kill(process_, number); }

  // Its exit code, or minus the signal that ended it.
  int wait() {
    int status = 0;
    ::waitpid(process_, &status, 0);
    process_ = 0;
    return WIFEXITED(status) ? WEXITSTATUS(status) : -WTERMSIG(status);
  }

  bool has_ended() {
    int status = 0;
    if (process_ > 0 && ::waitpid(process_, &status, WNOHANG) == process_) process_ = 0;
    return process_ == 0;
  }

 private:
  pid_t process_ = 0;
};

// price-pier on a free port, serving the demo world.
class Pier {
 public:
  explicit Pier(std::vector<std::string> options = {}) {
    std::vector<std::string> command = {std::string(INCHTIDE_BIN) + "/price-pier", "--port", "0", "--world",
                                        std::string(INCHTIDE_SOURCE) + "/demo"};
    command.insert(command.end(), options.begin(), options.end());
    process_ = std::make_unique<Background>(command, folder_ / "out", folder_ / "err");
    for (int tries = 0; tries < 600 && url_.empty(); ++tries) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      const auto said = text_of(folder_ / "out");
      const auto at = said.find("http"), end = said.find('\n');
      if (at != std::string::npos && end != std::string::npos) url_ = said.substr(at, end - at);
      if (process_->has_ended()) throw std::runtime_error("price-pier: " + text_of(folder_ / "err"));
    }
    if (url_.empty()) throw std::runtime_error("price-pier didn't start");
  }

  const std::string& url() const { return url_; }

 private:
  Folder folder_;
  std::unique_ptr<Background> process_;
  std::string url_;
};

}  // namespace inchtide::test
