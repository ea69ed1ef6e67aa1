#pragma once
/// Fetching over HTTP(S) with patience: time-outs, retries, a limit on requests per second. By libcurl; the server's
/// certificate is always checked.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::exchange;
/// assert(is_loopback("http://127.0.0.1:8080/x") && !is_loopback("http://127.0.0.1.example/x"));
/// assert(url_part("A B") == "A%20B");
/// @endcode

#include <chrono>
#include <memory>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide::exchange {

struct INCHTIDE_API HttpSettings {
  double timeout_seconds = 30;        ///< for one request as a whole
  int retries = 4;                    ///< after the first try: on 429, 5xx and broken connections
  double backoff_seconds = 0.5;       ///< before the first retry, doubled for each later one
  double longest_wait_seconds = 120;  ///< a server that asks for more than this is given up
  double requests_per_second = 5;     ///< over all threads
  std::string ca_file = {};           ///< certificates to trust besides the machine's own, e.g. of a company's proxy
};

struct INCHTIDE_API HttpAnswer {
  long status = 0;
  std::string body;
  int tries = 1;
};

/// Whether an address leads to this machine and nowhere else: its host is 127.0.0.0/8, ::1 or localhost.
[[nodiscard]] INCHTIDE_API bool is_loopback(const std::string& url);

/// Gets pages, from any number of threads. Redirects aren't followed, because a key would travel with them.
class INCHTIDE_API HttpClient {
 public:
  /// @param headers lines such as "X-Key: ..." sent with each request; they appear in no message
  /// @throws InputError when a setting isn't positive
  HttpClient(HttpSettings settings, std::vector<std::string> headers, StopCheck stop = {});

  /// The answer, whatever its status, once it is neither 429 nor 5xx.
  /// @throws OutsideFailure naming the address, what went wrong and how often it was tried
  /// @throws Interrupted when the stop check says so
  [[nodiscard]] HttpAnswer get(const std::string& url);

  /// The text with what the headers hold, such as a key, taken out: servers like to repeat it.
  [[nodiscard]] std::string without_secrets(std::string text) const;

 private:
  [[nodiscard]] HttpAnswer try_once(const std::string& url, std::string& broken, double& asked_wait) const;
  void take_turn();
  void sleep_for(double seconds) const;
  void check_stop() const;

  HttpSettings settings_;
  std::vector<std::string> headers_;
  StopCheck stop_;
  struct Turns;
  std::shared_ptr<Turns> turns_;
};

/// A text as part of an address: everything but letters, digits and -._~ in percent form.
[[nodiscard]] INCHTIDE_API std::string url_part(std::string_view text);

}  // namespace inchtide::exchange
