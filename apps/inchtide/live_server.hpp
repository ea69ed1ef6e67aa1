#pragma once
// The page of a study that is explored, served to browsers of this machine, and to nobody else: loopback only, a token
// in every request for data, one origin.

#include <chrono>
#include <memory>
#include <optional>
#include <string>

#include "inchtide/base/progress.hpp"
#include "live_study.hpp"

namespace inchtide::app {

class LiveServer {
 public:
  // @param port 0: a free one
  // @throws OutsideFailure where the port is taken, or the page isn't built in
  LiveServer(LiveStudy& study, int port);
  ~LiveServer();
  LiveServer(const LiveServer&) = delete;
  LiveServer& operator=(const LiveServer&) = delete;

  // With the token, which the page keeps to itself once it has it.
  std::string address() const;

  // Until `stop` says so, or nothing was asked for so long. What is being computed then is stopped too.
  void serve(const StopCheck& stop, std::optional<std::chrono::seconds> idle);

 private:
  class Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace inchtide::app
