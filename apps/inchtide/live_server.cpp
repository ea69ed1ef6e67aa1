#define CPPHTTPLIB_OPENSSL_SUPPORT  // as its library was built
#include <httplib.h>
#undef _res  // a macro of the resolver, and a name of Eigen

#include "live_server.hpp"

#include <fmt/format.h>
#include <openssl/crypto.h>
#include <openssl/rand.h>

#include <atomic>
#include <csignal>
#include <deque>
#include <map>
#include <new>
#include <thread>

#include "inchtide/base/errors.hpp"
#include "inchtide/report/page.hpp"

namespace inchtide::app {
namespace {

using Json = LiveStudy::Json;
using httplib::Request, httplib::Response;

/// Half-sent requests hold a thread each until they are given up.
constexpr std::size_t threads_for_requests = 128;
constexpr int patience_for_a_request = 2;  // seconds
constexpr std::size_t largest_body = 1 << 20;
constexpr std::size_t most_tabs = 64, longest_tab = 64;
constexpr std::size_t most_changes = 1000;

/// With its letters named the server does not pack it, which takes longer than to send it next door.
constexpr const char* json_type = "application/json; charset=utf-8";
constexpr const char* policy =
    "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src data: blob:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'none'";

std::string random_token() {
  unsigned char bytes[16];
  if (RAND_bytes(bytes, sizeof bytes) != 1) {
    throw OutsideFailure("token", "there is no randomness to make one of", "Try again");
  }
  std::string token;
  for (const auto byte : bytes) token += fmt::format("{:02x}", byte);
  return token;
}

/// In a time that does not depend on where they differ.
bool same_secret(const std::string& one, const std::string& other) {
  return one.size() == other.size() && CRYPTO_memcmp(one.data(), other.data(), one.size()) == 0;
}

void say(Response& response, int status, const Json& json) {
  response.status = status;
  response.set_content(json.dump(-1, ' ', false, Json::error_handler_t::replace), json_type);
}

void refuse(Response& response, int status, const std::string& problem) {
  say(response, status, {{"problem", problem}});
}

std::vector<std::string> texts_in(const Json& list) {
  std::vector<std::string> texts;
  for (const auto& text : list) texts.push_back(text.get<std::string>());
  return texts;
}

/// @throws nlohmann's errors, and InputError for too many
std::vector<MandateChange> changes_in(const Json& body) {
  std::vector<MandateChange> changes;
  for (const auto& one : body.at("changes")) {
    if (changes.size() == most_changes) throw InputError("changes", "there are too many", "Keep them as a mandate");
    MandateChange change{texts_in(one.at("path")), std::nullopt};
    if (!one.at("texts").is_null()) change.texts = texts_in(one.at("texts"));
    changes.push_back(std::move(change));
  }
  return changes;
}

/// A thread, and all that it starts, to which no signal comes: Ctrl-C goes to the one that looks out for it. (The
/// others sleep for as long as nobody asks, and a sanitizer keeps a signal until its thread wakes up.)
template <typename Work>
std::thread started_without_signals(Work work) {
  sigset_t all, before;
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  std::thread thread(std::move(work));
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
  return thread;
}

}  // namespace

class LiveServer::Parts {
 public:
  Parts(LiveStudy& study, int port) : study_(study), page_(report::live_page()), token_(random_token()) {
    server_.new_task_queue = [] { return new httplib::ThreadPool(threads_for_requests); };
    server_.set_read_timeout(patience_for_a_request);
    server_.set_keep_alive_timeout(1);
    server_.set_keep_alive_max_count(1000);
    server_.set_socket_options([](socket_t) {});  // two servers never share a port
    server_.set_payload_max_length(largest_body);
    server_.set_default_headers({{"Content-Security-Policy", policy},
                                 {"Cache-Control", "no-store"},
                                 {"X-Content-Type-Options", "nosniff"},
                                 {"Referrer-Policy", "no-referrer"},
                                 {"Cross-Origin-Resource-Policy", "same-origin"}});
    set_up_routes();
    port_ = port == 0 ? server_.bind_to_any_port("127.0.0.1") : server_.bind_to_port("127.0.0.1", port) ? port : -1;
    if (port_ <= 0) {
      throw OutsideFailure("--port", fmt::format("port {} of this machine cannot be taken", port),
                           "Choose another, or 0 for a free one");
    }
    host_ = fmt::format("127.0.0.1:{}", port_);
  }

  std::string address() const { return fmt::format("http://{}/#token={}", host_, token_); }

  void serve(const StopCheck& stop, std::optional<std::chrono::seconds> idle) {
    asked();
    std::atomic<bool> over = false;
    auto listening = started_without_signals([&] {
      server_.listen_after_bind();
      over = true;
    });
    const auto quiet_for = [this] { return std::chrono::steady_clock::now().time_since_epoch() - last_asked_.load(); };
    while (!stop() && !over && !(idle && quiet_for() > *idle)) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
    ends_ = true;  // for what is being computed
    // It doesn't hear of an end before it has begun.
    while (!server_.is_running() && !over) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    const bool by_itself = over;
    server_.stop();
    listening.join();
    if (by_itself) throw OutsideFailure("explore", fmt::format("nothing more comes in at {}", host_), "Start it again");
  }

 private:
  using Flag = std::shared_ptr<std::atomic<bool>>;

  void asked() { last_asked_ = std::chrono::steady_clock::now().time_since_epoch(); }

  void set_up_routes() {
    server_.set_pre_routing_handler([this](const Request& request, Response& response) {
      if (const auto problem = problem_with(request); problem.second.empty()) {
        asked();
        return httplib::Server::HandlerResponse::Unhandled;
      } else {
        refuse(response, problem.first, problem.second);
      }
      return httplib::Server::HandlerResponse::Handled;
    });
    const auto fixed = [this](const char* path, std::string_view text, const char* type) {
      server_.Get(path, [text, type](const Request&, Response& response) {
        response.set_content(text.data(), text.size(), type);
      });
    };
    fixed("/", page_.html, "text/html; charset=utf-8");
    fixed("/page.js", page_.script, "text/javascript; charset=utf-8");
    fixed("/page.css", page_.style, "text/css; charset=utf-8");
    server_.Get("/study", [this](const Request&, Response& response) { say(response, 200, study_.outline()); });
    server_.Post("/chapter", [this](const Request& request, Response& response) {
      answer(response, request, [&](const Json& body) {
        const auto flag = newest(request.get_header_value("X-Tab"));
        const auto stop = [this, flag] { return ends_ || flag->load(); };
        std::optional<double> patience;
        if (body.contains("patience")) patience = body["patience"].get<double>();
        response.set_content(study_.chapter(body.at("command").get<std::string>(), changes_in(body), stop, patience),
                             json_type);
      });
    });
    server_.Post("/frontier", [this](const Request& request, Response& response) {
      answer(response, request, [&](const Json& body) {
        const auto flag = newest(request.get_header_value("X-Tab"));
        const auto stop = [this, flag] { return ends_ || flag->load(); };
        response.set_content(study_.frontier(changes_in(body), stop), json_type);
      });
    });
    server_.Post("/keep", [this](const Request& request, Response& response) {
      answer(response, request, [&](const Json& body) {
        say(response, 200, {{"name", study_.keep(changes_in(body))}});
      });
    });
    server_.set_error_handler([](const Request&, Response& response) {
      if (response.body.empty()) refuse(response, response.status, "There is nothing of that name, or it is too large");
    });
  }

  /// Why a request is refused, before its body is read; no words where it isn't.
  std::pair<int, std::string> problem_with(const Request& request) const {
    const bool posts = request.method == "POST";
    if (request.method != "GET" && request.method != "HEAD" && !posts) return {405, "Only GET and POST are answered"};
    if (request.get_header_value("Host") != host_) return {403, "The address is another one"};
    const bool is_data = posts || request.path == "/study";
    const auto site = request.get_header_value("Sec-Fetch-Site");
    // The page itself holds nothing, and may be opened from anywhere.
    const bool opened = !is_data && request.path == "/" && request.get_header_value("Sec-Fetch-Dest") == "document";
    if (!site.empty() && site != "same-origin" && site != "none" && !opened) {
      return {403, "Only the page itself may ask"};
    }
    if (posts && request.get_header_value("Origin") != "http://" + host_) return {403, "Only the page itself may ask"};
    if (is_data && !same_secret(request.get_header_value("X-Token"), token_)) {
      return {401, "The token is missing or wrong: open the address that inchtide explore has printed"};
    }
    const auto type = request.get_header_value("Content-Type");
    if (posts && type != "application/json" && !type.starts_with("application/json;")) {
      return {415, "Only application/json is read"};
    }
    return {200, ""};
  }

  /// The flag of a tab's newest request, which ends its earlier one.
  Flag newest(const std::string& tab) {
    const std::lock_guard lock(mutex_);
    const auto name = tab.substr(0, longest_tab);
    auto& flag = tabs_[name];
    if (flag) {
      *flag = true;
    } else {
      order_.push_back(name);
    }
    flag = std::make_shared<std::atomic<bool>>(false);
    auto mine = flag;
    if (order_.size() > most_tabs) {
      tabs_.erase(order_.front());
      order_.pop_front();
    }
    return mine;
  }

  /// What goes wrong is an answer too.
  template <typename Work>
  void answer(Response& response, const Request& request, Work work) const {
    try {
      work(Json::parse(request.body));
    } catch (const Json::exception&) {
      refuse(response, 400, "The request is not understood");
    } catch (const Interrupted&) {
      say(response, 409, {{"stopped", true}});
    } catch (const InfeasibleLimits& error) {
      say(response, 422, {{"problem", error.notice().text(study_.spelt())}, {"limits", error.names()}});
    } catch (const InputError& error) {
      refuse(response, 422, error.notice().text(study_.spelt()));
    } catch (const Error& error) {
      refuse(response, 500, error.notice().text(study_.spelt()));
    } catch (const std::bad_alloc&) {
      refuse(response, 500, "There is not enough memory for this");
    } catch (const std::exception& error) {
      refuse(response, 500, fmt::format("This is a fault of Inch Tide, not of your data: {}", error.what()));
    }
  }

  LiveStudy& study_;
  report::LivePage page_;
  std::string token_, host_;
  int port_ = 0;
  httplib::Server server_;
  std::atomic<bool> ends_ = false;
  std::atomic<std::chrono::steady_clock::duration> last_asked_{};
  std::mutex mutex_;
  std::map<std::string, Flag> tabs_;
  std::deque<std::string> order_;  // of the tabs, the oldest first
};

LiveServer::LiveServer(LiveStudy& study, int port) : parts_(std::make_unique<Parts>(study, port)) {}
LiveServer::~LiveServer() = default;

std::string LiveServer::address() const {
  return parts_->address();
}

void LiveServer::serve(const StopCheck& stop, std::optional<std::chrono::seconds> idle) {
  parts_->serve(stop, idle);
}

}  // namespace inchtide::app
