#include "child.hpp"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <cstring>

#include "inchtide/base/errors.hpp"

extern char** environ;

namespace inchtide::app {
namespace {

constexpr std::size_t most_complaints = 4000;

std::array<int, 2> pipe_pair() {
  std::array<int, 2> ends{};
  if (pipe2(ends.data(), O_CLOEXEC) != 0) throw OutsideFailure("pipe", std::strerror(errno), "Try again");
  return ends;
}

}  // namespace

Child::Child(const std::vector<std::string>& words) {
  const auto out = pipe_pair(), err = pipe_pair();
  posix_spawn_file_actions_t actions;
  posix_spawnattr_t attributes;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&actions, out[1], 1);
  posix_spawn_file_actions_adddup2(&actions, err[1], 2);
  posix_spawnattr_init(&attributes);
  posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGDEF);
  posix_spawnattr_setpgroup(&attributes, 0);
  sigset_t usual;
  sigemptyset(&usual);
  sigaddset(&usual, SIGPIPE);
  sigaddset(&usual, SIGXFSZ);
  posix_spawnattr_setsigdefault(&attributes, &usual);
  std::vector<char*> arguments;
  for (const auto& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  const int code = posix_spawnp(&pid_, arguments[0], &actions, &attributes, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  posix_spawnattr_destroy(&attributes);
  close(out[1]);
  close(err[1]);
  out_ = out[0];
  err_ = err[0];
  if (code == 0) return;
  close(out_);
  close(err_);
  throw OutsideFailure(words.front(), std::strerror(code), "Install it");
}

Child::~Child() {
  if (!ended()) {
    tell_all(SIGKILL);
    waitpid(pid_, nullptr, 0);
  }
  for (int pipe : {out_, err_}) {
    if (pipe >= 0) close(pipe);
  }
}

void Child::read_from(int& pipe, std::string& into) {
  std::array<char, 4096> some{};
  const auto count = read(pipe, some.data(), some.size());
  if (count > 0) {
    into.append(some.data(), std::size_t(count));
    return;
  }
  close(pipe);
  pipe = -1;
}

std::vector<std::string> Child::lines(std::chrono::milliseconds patience) {
  std::array<pollfd, 2> ends{{{out_, POLLIN, 0}, {err_, POLLIN, 0}}};
  poll(ends.data(), ends.size(), int(patience.count()));
  if (out_ >= 0 && ends[0].revents != 0) read_from(out_, said_);
  if (err_ >= 0 && ends[1].revents != 0) read_from(err_, complaints_);
  if (complaints_.size() > most_complaints) complaints_.erase(0, complaints_.size() - most_complaints);
  std::vector<std::string> lines;
  for (auto end = said_.find('\n'); end != std::string::npos; end = said_.find('\n')) {
    lines.push_back(said_.substr(0, end));
    said_.erase(0, end + 1);
  }
  return lines;
}

std::optional<int> Child::ended() {
  if (code_ || pid_ < 0) return code_;
  int status = 0;
  if (waitpid(pid_, &status, WNOHANG) != pid_) return std::nullopt;
  code_ = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  return code_;
}

void Child::tell(int signal) const {
  kill(pid_, signal);
}

void Child::tell_all(int signal) const {
  kill(-pid_, signal);
}

}  // namespace inchtide::app
