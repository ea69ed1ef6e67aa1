#include "inchtide/exchange/http.hpp"

#include <arpa/inet.h>
#include <curl/curl.h>
#include <fmt/format.h>

#include <algorithm>
#include <mutex>
#include <thread>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide::exchange {
namespace {

using Clock = std::chrono::steady_clock;
constexpr std::size_t largest_body = std::size_t(256) << 20;

struct Transfer {
  std::string body;
  const StopCheck* stop;
};

std::size_t on_body(char* data, std::size_t size, std::size_t count, void* transfer) {
  auto& body = static_cast<Transfer*>(transfer)->body;
  if (body.size() + size * count > largest_body) return 0;  // makes the transfer fail
  body.append(data, size * count);
  return size * count;
}

int on_progress(void* transfer, curl_off_t, curl_off_t, curl_off_t, curl_off_t) {
  const auto& stop = *static_cast<Transfer*>(transfer)->stop;
  return stop && stop() ? 1 : 0;
}

/// Failures that another try may mend.
bool may_pass(CURLcode code) {
  constexpr CURLcode passing[] = {
      CURLE_COULDNT_CONNECT, CURLE_COULDNT_RESOLVE_HOST, CURLE_OPERATION_TIMEDOUT, CURLE_PARTIAL_FILE,
      CURLE_GOT_NOTHING,     CURLE_SEND_ERROR,           CURLE_RECV_ERROR,         CURLE_HTTP2,
      CURLE_HTTP2_STREAM,    CURLE_WEIRD_SERVER_REPLY};
  return std::ranges::find(passing, code) != std::end(passing);
}

}  // namespace

bool is_loopback(const std::string& url) {
  const std::unique_ptr<CURLU, void (*)(CURLU*)> parsed(curl_url(), curl_url_cleanup);
  if (curl_url_set(parsed.get(), CURLUPART_URL, url.c_str(), 0) != CURLUE_OK) return false;
  char* part = nullptr;
  if (curl_url_get(parsed.get(), CURLUPART_HOST, &part, 0) != CURLUE_OK) return false;
  const std::unique_ptr<char, void (*)(void*)> freed(part, curl_free);
  const std::string host = lower_name(part);
  in_addr address{};
  if (inet_pton(AF_INET, host.c_str(), &address) == 1) return (ntohl(address.s_addr) >> 24) == 127;
  return host == "localhost" || host == "[::1]";
}

std::string HttpClient::without_secrets(std::string text) const {
  for (const auto& header : headers_) {
    const auto secret = header.substr(std::min(header.find(": ") + 2, header.size()));
    if (header.find(": ") == std::string::npos || secret.empty()) continue;
    for (auto at = text.find(secret); at != std::string::npos; at = text.find(secret, at + 3)) {
      text.replace(at, secret.size(), "***");
    }
  }
  return text;
}

struct HttpClient::Turns {
  std::mutex mutex;
  Clock::time_point next{};
};

HttpClient::HttpClient(HttpSettings settings, std::vector<std::string> headers, StopCheck stop)
    : settings_(std::move(settings)),
      headers_(std::move(headers)),
      stop_(std::move(stop)),
      turns_(std::make_shared<Turns>()) {
  static const CURLcode ready = curl_global_init(CURL_GLOBAL_DEFAULT);
  if (ready != CURLE_OK) throw OutsideFailure("libcurl cannot be set up");
  within(settings_.timeout_seconds, 0.001, 86400, "timeout_seconds");
  within(settings_.requests_per_second, 1e-5, 1e5, "requests_per_second");
  within(settings_.backoff_seconds, 0, 86400, "backoff_seconds");
  within(settings_.longest_wait_seconds, 0, 86400, "longest_wait_seconds");
  whole_within(settings_.retries, 0, 1000, "retries");
}

void HttpClient::check_stop() const {
  if (stop_ && stop_()) throw Interrupted("Stopped");
}

void HttpClient::sleep_for(double seconds) const {
  const auto until = Clock::now() + std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(seconds));
  while (Clock::now() < until) {
    check_stop();
    std::this_thread::sleep_for(std::min<Clock::duration>(until - Clock::now(), std::chrono::milliseconds(20)));
  }
}

void HttpClient::take_turn() {
  const auto apart =
      std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(1 / settings_.requests_per_second));
  Clock::time_point mine;
  {
    const std::lock_guard guard(turns_->mutex);
    mine = std::max(turns_->next, Clock::now());
    turns_->next = mine + apart;
  }
  sleep_for(std::chrono::duration<double>(mine - Clock::now()).count());
}

HttpAnswer HttpClient::try_once(const std::string& url, std::string& broken, double& asked_wait) const {
  const std::unique_ptr<CURL, void (*)(CURL*)> curl(curl_easy_init(), curl_easy_cleanup);
  curl_slist* list = nullptr;
  for (const auto& header : headers_) list = curl_slist_append(list, header.c_str());
  const std::unique_ptr<curl_slist, void (*)(curl_slist*)> freed(list, curl_slist_free_all);
  Transfer transfer{{}, &stop_};
  char message[CURL_ERROR_SIZE] = "";
  const auto set = [&](CURLoption option, auto value) { curl_easy_setopt(curl.get(), option, value); };
  set(CURLOPT_URL, url.c_str());
  set(CURLOPT_HTTPHEADER, list);
  set(CURLOPT_PROTOCOLS_STR, "http,https");
  if (is_loopback(url)) set(CURLOPT_NOPROXY, "*");
  set(CURLOPT_FOLLOWLOCATION, 0L);
  set(CURLOPT_NOSIGNAL, 1L);
  set(CURLOPT_TIMEOUT_MS, long(1000 * settings_.timeout_seconds));
  set(CURLOPT_ACCEPT_ENCODING, "");
  set(CURLOPT_USERAGENT, "inchtide");
  set(CURLOPT_ERRORBUFFER, message);
  set(CURLOPT_WRITEFUNCTION, on_body);
  set(CURLOPT_WRITEDATA, &transfer);
  set(CURLOPT_XFERINFOFUNCTION, on_progress);
  set(CURLOPT_XFERINFODATA, &transfer);
  set(CURLOPT_NOPROGRESS, 0L);
  if (!settings_.ca_file.empty()) set(CURLOPT_CAINFO, settings_.ca_file.c_str());
  const CURLcode code = curl_easy_perform(curl.get());
  check_stop();
  HttpAnswer answer;
  if (code != CURLE_OK) {
    broken = *message != '\0' ? message : curl_easy_strerror(code);
    if (code == CURLE_PEER_FAILED_VERIFICATION) {
      throw OutsideFailure(url, fmt::format("the server's certificate is not trusted ({})", broken),
                           "If it is right, name its issuer's certificate with ca_file in the mandate");
    }
    if (code == CURLE_WRITE_ERROR) {
      throw OutsideFailure(url, fmt::format("the answer is larger than {} MB", largest_body >> 20), "Ask for less");
    }
    if (!may_pass(code)) throw OutsideFailure(url, broken, {});
    return answer;
  }
  curl_easy_getinfo(curl.get(), CURLINFO_RESPONSE_CODE, &answer.status);
  curl_off_t wait = 0;
  curl_easy_getinfo(curl.get(), CURLINFO_RETRY_AFTER, &wait);
  asked_wait = double(wait);
  answer.body = std::move(transfer.body);
  return answer;
}

HttpAnswer HttpClient::get(const std::string& url) {
  double backoff = settings_.backoff_seconds;
  for (int tries = 1;; ++tries) {
    check_stop();
    take_turn();
    std::string broken;
    double asked_wait = 0;
    auto answer = try_once(url, broken, asked_wait);
    answer.tries = tries;
    const bool busy = answer.status == 429 || answer.status >= 500;
    if (broken.empty() && !busy) return answer;
    const auto why = broken.empty() ? fmt::format("it answered {}", answer.status) : broken;
    if (asked_wait > settings_.longest_wait_seconds) {
      throw OutsideFailure(url, fmt::format("{} and asks to wait for {:.0f} s", why, asked_wait), "Run it again later");
    }
    if (tries > settings_.retries) {
      throw OutsideFailure(url, fmt::format("{}, after {} tries", why, tries), "Run it again later");
    }
    sleep_for(std::max(asked_wait, backoff));
    backoff *= 2;
  }
}

std::string url_part(std::string_view text) {
  std::string part;
  for (char c : text) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' ||
                       c == '.' || c == '_' || c == '~';
    part += plain ? std::string(1, c) : fmt::format("%{:02X}", unsigned(static_cast<unsigned char>(c)));
  }
  return part;
}

}  // namespace inchtide::exchange
