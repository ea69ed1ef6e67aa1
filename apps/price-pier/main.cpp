// price-pier: a small price provider that stands in for a real one, for demos and tests.
//
//     price-pier --world demo --port 8014 --key crab
//
// serves a folder with prices/, identifiers.csv and tags.csv:
//
//     GET /v1/history/TDM.HX?from=2024-01-01&to=2024-12-31&every=1d[&answer=csv][&days=seconds]
//     GET /v1/lists/hollin                     (also marrow, all)
//
// Codes are the exchange's, with .HX for assets in HLC and .MX for those in MRD. With --key every request needs it in
// the header X-Pier-Key. Faults are switched on by --fault, so that a client's patience can be tried.

#define CPPHTTPLIB_OPENSSL_SUPPORT
#include <fmt/format.h>
#include <httplib.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#undef _res  // a macro of the resolver, and a name of Eigen

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/exchange/prices.hpp"

namespace {

using namespace inchtide;
using Json = nlohmann::ordered_json;

// `KIND`, `KIND:ASSET` or `KIND:NUMBER`.
struct Fault {
  std::string kind, of;
};

const char* const fault_help =
    "Simulate a fault; repeatable. slow:MS (each answer waits), busy:N and down:N (the first N answers for each asset "
    "are 429 or 503), and for an asset or *: cut:A (the body breaks off), cut-once:A, wrong-json:A, unequal:A "
    "(arrays), "
    "unknown:A, empty:A, nulls:A (holes), adjusted:A (as after a 2:1 split since), echo:A (a refusal that repeats the "
    "key)";
const std::vector<std::string> fault_kinds = {"slow",    "busy",    "down",  "cut",   "cut-once", "wrong-json",
                                              "unequal", "unknown", "empty", "nulls", "adjusted", "echo"};

struct World {
  std::vector<BarHistory> bars;
  Tags identifiers, tags;
  std::vector<Fault> faults;
  std::string key;
  std::optional<Day> until;
  std::mutex mutex;
  std::map<std::string, int> asked;  // how often, by asset

  bool has(const char* kind, const std::string& asset) const {
    return std::ranges::any_of(faults, [&](const Fault& fault) {
      return fault.kind == kind && (fault.of == "*" || same_name(fault.of, asset));
    });
  }
  int number(const char* kind) const {
    for (const auto& fault : faults) {
      if (fault.kind == kind) return std::stoi(fault.of);
    }
    return 0;
  }
  std::string code_of(const BarHistory& asset) const {
    const bool abroad = tags.value(asset.asset, "currency") == "MRD";
    return identifiers.value(asset.asset, "exchange_code").value_or(asset.asset) + (abroad ? ".MX" : ".HX");
  }
  const BarHistory* find(const std::string& code) const {
    for (const auto& asset : bars) {
      if (same_name(code_of(asset), code) && !has("unknown", asset.asset)) return &asset;
    }
    return nullptr;
  }
};

void refuse(httplib::Response& response, int status, const std::string& message) {
  response.status = status;
  response.set_content(Json{{"message", message}}.dump(), "application/json");
}

Json figures(const BarHistory& bars, PriceField field, const World& world) {
  auto list = Json::array();
  std::size_t row = 0;
  for (double value : bars.of(field)) {
    const bool hole = std::isnan(value) || (world.has("nulls", bars.asset) && ++row % 50 == 0);
    list.push_back(hole ? Json() : Json(value));
  }
  if (world.has("unequal", bars.asset) && field == PriceField::volume) list.erase(0);
  return list;
}

// The close of trade, half past four in the afternoon two hours east of Greenwich, in seconds.
std::int64_t close_of(Day day) {
  return std::int64_t(day.time_since_epoch().count()) * 86400 + std::int64_t(14) * 3600 + std::int64_t(30) * 60;
}

std::string as_json(const BarHistory& bars, const std::vector<PriceField>& fields, const World& world, bool seconds) {
  auto days = Json::array();
  for (Day day : bars.days) days.push_back(seconds ? Json(close_of(day)) : Json(to_string(day)));
  Json series{{"days", days}};
  for (auto field : fields) {
    auto name = to_string(field);
    std::ranges::replace(name, ' ', '_');
    series[name] = figures(bars, field, world);
  }
  return Json{{"code", world.code_of(bars)}, {"series", series}}.dump();
}

std::string as_csv(const BarHistory& bars) {
  std::string text = "Day";
  for (auto field : bars.fields_held()) text += "," + to_string(field);
  text += "\n";
  for (std::size_t row = 0; row < bars.days.size(); ++row) {
    text += to_string(bars.days[row]);
    for (auto field : bars.fields_held()) text += fmt::format(",{}", bars.of(field)[row]);
    text += "\n";
  }
  return text;
}

// The asked-for rows, with the faults that change figures.
BarHistory rows_for(const World& world, const BarHistory& asset, const httplib::Request& request) {
  const auto day = [&](const char* name) { return parse_day(request.get_param_value(name)); };
  auto to = day("to");
  if (world.until && (!to || *to > *world.until)) to = world.until;
  auto bars = asset.between(day("from"), to);
  const auto every = request.get_param_value("every");
  if (!every.empty() && every != "1d") bars = bars_every(bars, Interval::parse(every, "every"));
  if (world.has("empty", asset.asset)) bars = bars.between(Day::max(), std::nullopt);
  if (world.has("adjusted", asset.asset)) {
    for (double& value : bars.of(PriceField::adjusted_close)) value /= 2;
  }
  return bars;
}

void serve_history(World& world, const httplib::Request& request, httplib::Response& response) {
  const std::string code = request.matches[1];
  const auto* asset = world.find(code);
  if (asset == nullptr) return refuse(response, 404, fmt::format("no asset has the code {}", code));
  int asked = 0;
  {
    const std::lock_guard guard(world.mutex);
    asked = ++world.asked[asset->asset];
  }
  if (asked <= world.number("busy")) {
    response.set_header("Retry-After", "1");
    return refuse(response, 429, "too many requests");
  }
  if (asked <= world.number("down")) return refuse(response, 503, "down for a moment");
  if (world.has("echo", asset->asset)) {
    return refuse(response, 400, fmt::format("not with the key {} today", request.get_header_value("X-Pier-Key")));
  }
  const bool csv = request.get_param_value("answer") == "csv";
  const auto bars = rows_for(world, *asset, request);
  const auto body =
      csv ? as_csv(bars) : as_json(bars, asset->fields_held(), world, request.get_param_value("days") == "seconds");
  const std::string type = csv ? "text/csv" : "application/json";
  if (world.has("wrong-json", asset->asset)) return response.set_content("<html>Come back later</html>", "text/html");
  if (world.has("cut", asset->asset) || (world.has("cut-once", asset->asset) && asked == 1)) {
    return response.set_content_provider(body.size(), type, [body](std::size_t, std::size_t, httplib::DataSink& sink) {
      sink.write(body.data(), body.size() / 2);
      return false;
    });
  }
  response.set_content(body, type);
}

void serve_list(const World& world, const httplib::Request& request, httplib::Response& response) {
  const std::string name = request.matches[1];
  auto members = Json::array();
  for (const auto& asset : world.bars) {
    const auto code = world.code_of(asset);
    const bool abroad = code.ends_with(".MX");
    if (name == "all" || name == (abroad ? "marrow" : "hollin")) members.push_back(code);
  }
  if (members.empty()) return refuse(response, 404, fmt::format("there is no list {}", name));
  response.set_content(Json{{"list", name}, {"members", members}}.dump(), "application/json");
}

template <typename Server>
int serve(Server& server, World& world, int port, const char* scheme) {
  if (!server.is_valid()) {
    std::cerr << "price-pier: the certificate or its key cannot be used\n";
    return 1;
  }
  server.set_socket_options([](socket_t) {});  // two servers never share a port
  server.set_pre_routing_handler([&](const httplib::Request& request, httplib::Response& response) {
    std::this_thread::sleep_for(std::chrono::milliseconds(world.number("slow")));
    if (world.key.empty() || request.get_header_value("X-Pier-Key") == world.key) {
      return httplib::Server::HandlerResponse::Unhandled;
    }
    refuse(response, 401, "the key is missing or wrong");
    return httplib::Server::HandlerResponse::Handled;
  });
  server.Get(R"(/v1/history/([^/]+))", [&](const httplib::Request& request, httplib::Response& response) {
    serve_history(world, request, response);
  });
  server.Get(R"(/v1/lists/([^/]+))", [&](const httplib::Request& request, httplib::Response& response) {
    serve_list(world, request, response);
  });
  server.Get("/v1/moved/(.*)",
             [](const httplib::Request&, httplib::Response& response) { response.set_redirect("/v1/lists/all"); });
  if (port == 0) {
    port = server.bind_to_any_port("127.0.0.1");
  } else if (!server.bind_to_port("127.0.0.1", port)) {
    std::cerr << "price-pier: port " << port << " is taken; choose another with --port\n";
    return 3;
  }
  fmt::print("price-pier listens on {}://127.0.0.1:{}\n", scheme, port);
  std::fflush(stdout);
  return server.listen_after_bind() ? 0 : 3;
}

}  // namespace

int main(int count, char** arguments) {
  CLI::App app("A small price provider that stands in for a real one, for demos and tests.", "price-pier");
  std::string folder = "demo", until, certificate, certificate_key;
  World world;
  int port = 8014;
  std::vector<std::string> faults;
  app.add_option("--world", folder, "Folder with prices/, identifiers.csv and tags.csv (default demo)");
  app.add_option("--port", port, "Port on this machine (default 8014; 0 takes a free one and prints it)");
  app.add_option("--key", world.key, "Refuse requests without this key in the header X-Pier-Key");
  app.add_option("--until", until, "Serve nothing after this day");
  app.add_option("--tls-certificate", certificate, "Serve HTTPS with this certificate (PEM)");
  app.add_option("--tls-key", certificate_key, "Its private key (PEM)")->needs("--tls-certificate");
  app.add_option("--fault", faults, fault_help)->take_all()->expected(1);
  CLI11_PARSE(app, count, arguments);
  try {
    for (const auto& text : faults) {
      const auto colon = text.find(':');
      const auto kind = text.substr(0, colon);
      if (colon == std::string::npos || !find_name(kind, fault_kinds)) {
        throw InputError("--fault", fmt::format("'{}' is none", text), did_you_mean(kind, fault_kinds));
      }
      const bool numbered = kind == "slow" || kind == "busy" || kind == "down";
      if (numbered && text.find_first_not_of("0123456789", colon + 1) != std::string::npos) {
        throw InputError("--fault", fmt::format("'{}' names no number", text), fmt::format("Write it like {}:2", kind));
      }
      world.faults.push_back({kind, text.substr(colon + 1)});
    }
    if (!until.empty()) world.until = day_from(until, "--until");
    world.bars = exchange::read_bars(folder + "/prices");
    world.identifiers = exchange::read_tags(folder + "/identifiers.csv");
    world.tags = exchange::read_tags(folder + "/tags.csv");
    if (certificate.empty()) {
      httplib::Server server;
      return serve(server, world, port, "http");
    }
    httplib::SSLServer server(certificate.c_str(), certificate_key.c_str());
    return serve(server, world, port, "https");
  } catch (const std::exception& error) {
    std::cerr << "price-pier: " << error.what() << '\n';
    return 1;
  }
}
