// A study that is served: to its own page, and to nobody else.

#include <arpa/inet.h>
#include <gmock/gmock.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <chrono>
#include <memory>
#include <thread>

#include "inchtide/mandate/declarations.hpp"
#include "support/rounds.hpp"
#include "support/server.hpp"
#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

struct Answer {
  int status = 0;
  std::string head, body;
};

/// A connection of its own, of which only what is wanted is sent.
class Connection {
 public:
  explicit Connection(int port) : socket_(::socket(AF_INET, SOCK_STREAM, 0)) {
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(std::uint16_t(port));
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    if (::connect(socket_, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0)
      throw std::runtime_error("no server");
  }
  ~Connection() { ::close(socket_); }
  Connection(const Connection&) = delete;
  Connection& operator=(const Connection&) = delete;

  void send(const std::string& text) const {
    for (std::size_t done = 0; done < text.size();) {
      const auto count = ::send(socket_, text.data() + done, text.size() - done, MSG_NOSIGNAL);
      if (count <= 0) return;  // the other end has heard enough
      done += std::size_t(count);
    }
  }
  Answer receive() const {
    std::string text;
    char some[65536];
    for (ssize_t count = 0; (count = ::recv(socket_, some, sizeof some, 0)) > 0;) text.append(some, std::size_t(count));
    const auto end = text.find("\r\n\r\n");
    if (end == std::string::npos) return {};
    return {std::stoi(text.substr(9, 3)), text.substr(0, end), text.substr(end + 4)};
  }

 private:
  int socket_;
};

struct Explored : testing::Test {
  Folder folder;
  std::string rules = folder.write("rules.toml", text_of(demo + "/mandate.toml")).string();
  std::unique_ptr<Background> server;
  int port = 0;
  std::string token;

  void SetUp() override {
    for (const char* name : {"prices", "rates"}) fs::create_symlink(demo + "/" + name, folder / name);
    for (const char* name : {"tags.csv", "identifiers.csv"}) fs::copy(demo + "/" + name, folder / name);
    start();
  }

  void start(const std::vector<std::string>& more = {}) {
    std::vector<std::string> words{tool, "explore", "--mandate", rules};
    words.insert(words.end(), more.begin(), more.end());
    server = std::make_unique<Background>(words, folder / "out", folder / "err");
    for (int tries = 0; tries < 600; ++tries) {
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
      const auto said = text_of(folder / "out");
      const auto at = said.find("127.0.0.1:"), sign = said.find("#token="), end = said.find('\n');
      if (end == std::string::npos || at == std::string::npos) continue;
      port = std::stoi(said.substr(at + 10));
      token = said.substr(sign + 7, end - sign - 7);
      return;
    }
    throw std::runtime_error("explore didn't start: " + text_of(folder / "err"));
  }

  [[nodiscard]] std::string host() const { return "127.0.0.1:" + std::to_string(port); }

  using Headers = std::vector<std::pair<std::string, std::string>>;
  /// As the page asks; a header that is given takes the place of the page's own, and an empty one goes.
  [[nodiscard]] std::string request(const std::string& method, const std::string& path, const std::string& body = "",
                                    const Headers& others = {}) const {
    Headers headers{{"Host", host()},
                    {"X-Token", token},
                    {"X-Tab", "one"},
                    {"Sec-Fetch-Site", "same-origin"},
                    {"Connection", "close"}};
    if (method == "POST") {
      headers.emplace_back("Origin", "http://" + host());
      headers.emplace_back("Content-Type", "application/json");
      headers.emplace_back("Content-Length", std::to_string(body.size()));
    }
    auto text = method + " " + path + " HTTP/1.1\r\n";
    for (auto [name, value] : headers) {
      for (const auto& [other, instead] : others) {
        if (other == name) value = instead;
      }
      if (!value.empty()) text += name + ": " + value + "\r\n";
    }
    for (const auto& [other, value] : others) {
      if (text.find("\r\n" + other + ": ") == std::string::npos && !value.empty())
        text += other + ": " + value + "\r\n";
    }
    return text + "\r\n" + body;
  }
  [[nodiscard]] Answer ask(const std::string& method, const std::string& path, const std::string& body = "",
                           const Headers& others = {}) const {
    const Connection connection(port);
    connection.send(request(method, path, body, others));
    return connection.receive();
  }
  [[nodiscard]] Answer chapter(const std::string& command, const json& changes = json::array(),
                               const Headers& others = {}) const {
    return ask("POST", "/chapter", json{{"command", command}, {"changes", changes}}.dump(), others);
  }
  static json change(const std::vector<std::string>& path, const json& texts) {
    return {{{"path", path}, {"texts", texts}}};
  }
};

TEST_F(Explored, ThePageItselfHoldsNothingAndSaysWhatMayRunInIt) {
  const auto page = ask("GET", "/", "", {{"X-Token", ""}});
  EXPECT_EQ(page.status, 200);
  EXPECT_THAT(page.body, AllOf(HasSubstr("page.js"), Not(HasSubstr("KELPFARM")), Not(HasSubstr(token))));
  EXPECT_THAT(page.head, AllOf(HasSubstr("default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'"),
                               HasSubstr("frame-ancestors 'none'"), HasSubstr("no-store"), HasSubstr("nosniff"),
                               HasSubstr("no-referrer"), HasSubstr("Cross-Origin-Resource-Policy: same-origin")));
  EXPECT_EQ(ask("GET", "/page.js", "", {{"X-Token", ""}}).status, 200);
  EXPECT_EQ(ask("GET", "/nothing").status, 404);
  EXPECT_EQ(ask("GET", "/../../etc/passwd").status, 404);
}

TEST_F(Explored, WhoIsNotThePageGetsNothing) {
  struct Case {
    const char* method;
    const char* path;
    Headers headers;
    int status;
  };
  auto wrong = token;
  wrong.back() = wrong.back() == '0' ? '1' : '0';
  const std::vector<Case> cases{
      {"GET", "/study", {{"X-Token", ""}}, 401},
      {"GET", "/study", {{"X-Token", wrong}}, 401},
      {"GET", "/study", {{"X-Token", token + "0"}}, 401},
      {"POST", "/chapter", {{"X-Token", wrong}}, 401},
      {"POST", "/frontier", {{"X-Token", wrong}}, 401},
      {"POST", "/keep", {{"X-Token", wrong}}, 401},
      {"GET", "/", {{"Host", "localhost:" + std::to_string(port)}}, 403},
      {"GET", "/study", {{"Host", "tide.example:" + std::to_string(port)}}, 403},
      {"GET", "/study", {{"Sec-Fetch-Site", "cross-site"}}, 403},
      {"GET", "/page.js", {{"Sec-Fetch-Site", "same-site"}}, 403},
      {"POST", "/chapter", {{"Origin", ""}}, 403},
      {"POST", "/chapter", {{"Origin", "null"}}, 403},
      {"POST", "/keep", {{"Origin", "http://tide.example"}}, 403},
      {"POST", "/chapter", {{"Content-Type", "text/plain"}}, 415},
      {"POST", "/chapter", {{"Content-Type", "application/x-www-form-urlencoded"}}, 415},
      {"PUT", "/keep", {}, 405},
      {"DELETE", "/study", {}, 405},
  };
  for (const auto& [method, path, headers, status] : cases) {
    const auto answer =
        ask(method, path, std::string(method) == "POST" ? R"({"command": "frontier", "changes": []})" : "", headers);
    EXPECT_EQ(answer.status, status) << method << " " << path << " " << headers.front().first << ": "
                                     << headers.front().second;
    EXPECT_THAT(answer.body, Not(HasSubstr("KELPFARM")));
  }
  EXPECT_EQ(ask("GET", "/study").status, 200);
  EXPECT_EQ(ask("GET", "/", "", {{"Sec-Fetch-Site", "cross-site"}, {"Sec-Fetch-Dest", "document"}}).status, 200)
      << "a link from elsewhere may open it";
  EXPECT_EQ(fs::exists(folder / "rules-2.toml"), false);
}

TEST_F(Explored, ChaptersAreThoseOfTheCommands) {
  for (const char* command : {"estimate", "frontier", "weigh"}) {
    const auto answer = chapter(command);
    ASSERT_EQ(answer.status, 200) << answer.body;
    const std::string draws = command == std::string("frontier") ? " --draws 200" : "";  // as a study has it
    const auto alone = result_of(command + (" --split 2023-01-01 --mandate " + rules + draws));
    EXPECT_EQ(json::parse(answer.body)["document"]["result"], alone) << command;
  }
}

/// Corners that came as changes since the one before, whole.
json whole_corners(const json& moves) {
  auto corners = moves["corners"];
  json weights = json::object();
  for (auto& corner : corners) {
    const auto changed = corner["changed"];
    for (std::size_t k = 0; k < changed.size(); k += 2) {
      const auto& asset = moves["assets"][changed[k].get<std::size_t>()].get_ref<const std::string&>();
      EXPECT_NE(weights.value(asset, 0.0), changed[k + 1]) << asset << " didn't change";
      weights[asset] = changed[k + 1];
      if (weights[asset] == 0.0) weights.erase(asset);
    }
    corner.erase("changed");
    corner["weights"] = weights;
  }
  return corners;
}

// Under a ceiling the first corners are left out, and the first that stays is told whole.
TEST_F(Explored, TheFrontierAloneIsThatOfItsChapter) {
  std::size_t fewest = 1000;
  for (const json& changes : {json::array(), change({"limits", "each holding"}, {"each <= 20%"}),
                              change({"limits", "near"}, {"tracking-error <= 8%"})}) {
    const auto answer = ask("POST", "/frontier", json{{"changes", changes}}.dump());
    ASSERT_EQ(answer.status, 200) << answer.body;
    auto corners = json::parse(chapter("frontier", changes).body)["document"]["result"]["corners"];
    for (auto& corner : corners) corner.erase("tracking_error");
    EXPECT_EQ(whole_corners(json::parse(answer.body)), corners) << changes;
    EXPECT_GT(corners.size(), 1u);
    fewest = std::min(fewest, corners.size());
  }
  EXPECT_LT(fewest, json::parse(chapter("frontier").body)["document"]["result"]["corners"].size());
}

// Whatever is changed: what is kept from call to call never stands for what it has become. The tool reads the mandate
// that was kept of it.
TEST_F(Explored, EachKeyActsAsInAMandateOfItsOwn) {
  int acted = 0;
  const auto before = json::parse(chapter("frontier").body)["document"]["result"];
  const auto outline = json::parse(ask("GET", "/study").body);
  for (const auto& key : outline["keys"]) {
    const auto name = key["key"].get<std::string>();
    const auto table = name.substr(0, name.find('.'));
    if (name.find('*') != std::string::npos || table == "rehearsal") continue;
    const auto changes = change({table, name.substr(table.size() + 1)}, {key["example"]});
    const auto live = chapter("frontier", changes);
    const auto kept = ask("POST", "/keep", json{{"changes", changes}}.dump());
    if (kept.status != 200) {  // a value that needs another beside it
      EXPECT_EQ(live.status, 422) << name << ": " << live.body;
      continue;
    }
    const auto file = folder / json::parse(kept.body)["name"].get<std::string>();
    const auto alone = run_tool("frontier --draws 200 --split 2023-01-01 --quiet --json - --mandate " + file.string());
    fs::remove(file);
    if (live.status != 200) {
      EXPECT_EQ(live.status, 422) << live.body;
      EXPECT_EQ(alone.code, 1) << name << ": " << live.body;
      continue;
    }
    EXPECT_EQ(json::parse(live.body)["document"]["result"], json::parse(alone.out)["result"]) << name;
    acted += json::parse(live.body)["document"]["result"] != before ? 1 : 0;
  }
  EXPECT_GT(acted, 6);
  EXPECT_EQ(json::parse(chapter("frontier").body)["document"]["result"], before);
}

// The same of the keys that stand for a name: views act on the estimate, costs and schedules on the rehearsal.
TEST_F(Explored, KeysOfANameActAsInAMandateOfTheirOwn) {
  const auto outline = json::parse(ask("GET", "/study").body);
  const auto runs = [](const json& result) { return result.at("runs"); };
  const auto before = runs(json::parse(chapter("rehearse").body)["document"]["result"]);
  const int each = test::rounds(10) > 1 ? 1 : 7;
  int tried = 0, acted = 0;
  for (const auto& key : outline["keys"]) {
    const auto name = key["key"].get<std::string>();
    const bool of_costs = name.starts_with("costs.*."), of_schedules = name.starts_with("schedules.*.");
    if (!of_costs && !of_schedules) continue;
    if (of_costs && tried++ % each != 0) continue;
    const auto table = name.substr(0, name.find('.'));
    auto changes = change({table, of_costs ? "KELPFARM" : "mine", name.substr(table.size() + 3)}, {key["example"]});
    if (name == "schedules.*.tranches") changes.push_back(change({table, "mine", "check"}, {"1q"})[0]);
    const auto live = chapter("rehearse", changes);
    const auto kept = ask("POST", "/keep", json{{"changes", changes}}.dump());
    ASSERT_EQ(kept.status == 200, live.status == 200) << name << ": " << live.body;
    if (kept.status != 200) continue;
    const auto file = folder / json::parse(kept.body)["name"].get<std::string>();
    const auto alone = result_of("rehearse --mandate " + file.string());
    fs::remove(file);
    EXPECT_EQ(runs(json::parse(live.body)["document"]["result"]), runs(alone)) << name;
    acted += runs(alone) != before ? 1 : 0;
  }
  EXPECT_GT(acted, 2);
}

TEST_F(Explored, ViewsActAsInAMandateOfTheirOwn) {
  json views = change({"views", "mine", "says"}, {"KELPFARM = 8%"});
  views.push_back(change({"views", "mine", "confidence"}, {"60%"})[0]);
  views.push_back(change({"estimate", "expected"}, {"views"})[0]);
  const auto live = chapter("frontier", views);
  ASSERT_EQ(live.status, 200) << live.body;
  const auto kept = ask("POST", "/keep", json{{"changes", views}}.dump());
  ASSERT_EQ(kept.status, 200) << kept.body;
  const auto alone = result_of("frontier --draws 200 --split 2023-01-01 --mandate " +
                               (folder / json::parse(kept.body)["name"].get<std::string>()).string());
  EXPECT_EQ(json::parse(live.body)["document"]["result"], alone);
  EXPECT_NE(json::parse(chapter("frontier").body)["document"]["result"], alone);
}

TEST_F(Explored, AConflictIsASentenceThatNamesItsLimits) {
  const auto answer = chapter("frontier", change({"limits", "each holding"}, {"each >= 10%"}));
  EXPECT_EQ(answer.status, 422);
  const auto said = json::parse(answer.body);
  EXPECT_THAT(said["problem"].get<std::string>(),
              AllOf(HasSubstr("cannot all hold"), HasSubstr("each holding"), HasSubstr("160%")));
  EXPECT_EQ(said["limits"], json({"each holding"}));
  const auto misspelt = chapter("frontier", change({"limits", "each holding"}, {"eech <= 10%"}));
  EXPECT_EQ(misspelt.status, 422);
  EXPECT_THAT(misspelt.body, HasSubstr("each holding"));
}

TEST_F(Explored, WhatIsNoRequestIsSaidToBeNone) {
  const std::string deep(900'000, '[');
  for (const std::string& body :
       {std::string(), std::string("{"), deep, std::string("[]"), std::string("{\"command\": 1, \"changes\": []}"),
        std::string(R"({"command": "frontier"})"), std::string(R"({"command": "frontier", "changes": [1]})"),
        std::string(R"({"command": "frontier", "changes": [{"path": "limits", "texts": 4}]})"),
        std::string("{\"command\": \"\xff\xfe\", \"changes\": []}")}) {
    EXPECT_EQ(ask("POST", "/chapter", body).status, 400) << body.substr(0, 60);
  }
  EXPECT_EQ(ask("POST", "/chapter", std::string(1'100'000, ' ')).status, 413);
  const auto unknown = chapter("frontyer");
  EXPECT_EQ(unknown.status, 422);
  EXPECT_THAT(unknown.body, HasSubstr("frontier"));
  EXPECT_THAT(chapter("frontier", change({"estimate", "evry"}, {"1m"})).body, HasSubstr("estimate.every"));
  const auto many = json::array_t(1001, change({"limits", "a"}, {"each <= 50%"})[0]);
  EXPECT_THAT(chapter("frontier", many).body, HasSubstr("too many"));
  EXPECT_EQ(ask("GET", "/study").status, 200);
}

TEST_F(Explored, FilesStayThoseOfTheMandate) {
  for (const auto& path : std::vector<std::vector<std::string>>{
           {"universe", "prices"}, {"universe", "tags"}, {"universe", "current"}, {"providers", "pier", "url"}}) {
    const auto answer = chapter("inspect", change(path, {"/etc/passwd"}));
    EXPECT_EQ(answer.status, 422) << path.back();
    EXPECT_THAT(answer.body, HasSubstr("cannot be changed here"));
  }
}

TEST_F(Explored, WhatIsKeptIsAMandateBesideTheOldOne) {
  const auto old = text_of(rules);
  const json body{{"changes", change({"limits", "each holding"}, {"each outside sector:bonds <= 8%"})}};
  EXPECT_EQ(json::parse(ask("POST", "/keep", body.dump()).body)["name"], "rules-2.toml");
  EXPECT_EQ(json::parse(ask("POST", "/keep", body.dump()).body)["name"], "rules-3.toml");
  auto wanted = old;
  const std::string was = "each outside sector:bonds <= 15%";
  wanted.replace(wanted.find(was), was.size(), "each outside sector:bonds <= 8%");
  EXPECT_EQ(text_of(folder / "rules-2.toml"), wanted);
  EXPECT_EQ(text_of(rules), old);
  const auto live = chapter("frontier", body["changes"]);
  EXPECT_EQ(json::parse(live.body)["document"]["result"],
            result_of("frontier --draws 200 --split 2023-01-01 --mandate " + (folder / "rules-2.toml").string()));
  // Where a link lies in the way it is not followed.
  fs::create_symlink(folder / "elsewhere", folder / "rules-4.toml");
  EXPECT_EQ(json::parse(ask("POST", "/keep", body.dump()).body)["name"], "rules-5.toml");
  EXPECT_FALSE(fs::exists(folder / "elsewhere"));
}

TEST_F(Explored, ANewerRequestOfATabEndsItsOlderOne) {
  const auto begin = std::chrono::steady_clock::now();
  ASSERT_EQ(chapter("rehearse").status, 200);
  const auto taken = std::chrono::steady_clock::now() - begin;
  Answer older, other;
  std::thread first([&] { older = chapter("rehearse"); });
  std::thread second([&] { other = chapter("rehearse", json::array(), {{"X-Tab", "two"}}); });
  std::this_thread::sleep_for(taken / 4);  // while both are computed
  EXPECT_EQ(chapter("frontier").status, 200);
  first.join();
  second.join();
  EXPECT_EQ(older.status, 409) << older.body.substr(0, 100);
  EXPECT_EQ(other.status, 200);
}

TEST_F(Explored, HalfSentRequestsKeepNobodyWaiting) {
  std::vector<std::unique_ptr<Connection>> half;
  for (int k = 0; k < 50; ++k) {
    half.push_back(std::make_unique<Connection>(port));
    half.back()->send(k % 2 == 0 ? "GET /study HTT"
                                 : request("POST", "/chapter", std::string(500, ' ')).substr(0, 420));
  }
  const auto begin = std::chrono::steady_clock::now();
  EXPECT_EQ(ask("GET", "/study").status, 200);
  EXPECT_LT(std::chrono::steady_clock::now() - begin, std::chrono::seconds(2))
      << "one after the other they take minutes";
}

TEST_F(Explored, AThousandRequestsHaveTheSameAnswer) {
  const auto first = ask("GET", "/study").body;
  std::vector<std::thread> clients;
  std::atomic<int> same = 0;
  for (int k = 0; k < 10; ++k) {
    clients.emplace_back([&] {
      for (int j = 0; j < 100; ++j) same += ask("GET", "/study").body == first ? 1 : 0;
    });
  }
  for (auto& client : clients) client.join();
  EXPECT_EQ(same, 1000);
}

TEST_F(Explored, EndsOnCtrlCAlsoWhileItComputes) {
  std::thread asking([&] {
    try {
      (void)chapter("rehearse");
    } catch (const std::runtime_error&) {  // it was gone already
    }
  });
  std::this_thread::sleep_for(std::chrono::milliseconds(80));
  server->signal(SIGINT);
  EXPECT_EQ(server->wait(), 0) << text_of(folder / "err");
  asking.join();
}

TEST_F(Explored, EndsByItselfWhenNobodyAsks) {
  server->signal(SIGINT);
  server->wait();
  start({"--idle", "3s"});
  EXPECT_EQ(ask("GET", "/study").status, 200);
  EXPECT_EQ(server->wait(), 0);
}

TEST_F(Explored, OpensABrowserByAFileThatIsForItsUserAlone) {
  server->signal(SIGINT);
  server->wait();
  const auto opener = folder.write("bin/xdg-open", "#!/bin/sh\ncp \"$1\" " + (folder / "seen").string() +
                                                       "\nstat -c %a \"$1\" > " + (folder / "mode").string() +
                                                       "\necho \"$1\" > " + (folder / "name").string() + "\n");
  fs::permissions(opener, fs::perms::owner_all);
  const auto said = run("PATH=" + (folder / "bin").string() + ":$PATH TMPDIR=" + folder.path().string() + " " + tool +
                        " explore --open --idle 2s --mandate " + rules);
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, Not(HasSubstr("token")));
  EXPECT_THAT(text_of(folder / "seen"), AllOf(HasSubstr("http://127.0.0.1:"), HasSubstr("#token=")));
  EXPECT_EQ(text_of(folder / "mode"), "600\n");
  auto name = text_of(folder / "name");
  name.pop_back();
  EXPECT_FALSE(fs::exists(name)) << "it goes with the server";
}

// Its end comes as soon as the address is read, before it listens: the shell's first word to it.
TEST_F(Explored, CanBeEndedAsSoonAsItIsThere) {
  const auto pipe = (folder / "pipe").string();
  ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
  for (int k = 0; k < 8; ++k) {
    const auto said = run(tool + " explore --mandate " + rules + " > " + pipe +
                          " & of=$!; (sleep 20; kill -9 $of) > /dev/null 2>&1 & guard=$!; read line < " + pipe +
                          "; kill -TERM $of; wait $of; code=$?; kill $guard; exit $code");
    ASSERT_EQ(said.code, 0) << said.err;
  }
}

TEST_F(Explored, WhatItOpenedStaysWhenItEnds) {
  server->signal(SIGINT);
  server->wait();
  const auto opener =
      folder.write("bin/xdg-open", "#!/bin/sh\nsleep 3\ntouch " + (folder / "stayed").string() + "\n");  // a browser
  fs::permissions(opener, fs::perms::owner_all);
  const auto said =
      run("PATH=" + (folder / "bin").string() + ":$PATH " + tool + " explore --open --idle 1s --mandate " + rules);
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_FALSE(fs::exists(folder / "stayed"));
  for (int tries = 0; tries < 200 && !fs::exists(folder / "stayed"); ++tries) {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  }
  EXPECT_TRUE(fs::exists(folder / "stayed"));
}

TEST_F(Explored, WithoutAnythingToOpenItWithItSaysSo) {
  const auto said = run("PATH=/nowhere " + tool + " explore --open --mandate " + rules);
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr("xdg-open"));
}

TEST(Explore, SaysWhatItWants) {
  EXPECT_EQ(run_tool("explore").code, 2);
  EXPECT_EQ(run_tool("explore --mandate nowhere.toml").code, 1);
  EXPECT_EQ(run_tool("explore --port 70000" + mandate).code, 2);
  const auto said = run_tool("explore --idle soon" + mandate);
  EXPECT_EQ(said.code, 2);
  EXPECT_THAT(said.err, AllOf(HasSubstr("--idle"), HasSubstr("30m")));
}

TEST_F(Explored, APortThatIsTakenIsNamed) {
  const auto said = run_tool("explore --port " + std::to_string(port) + mandate);
  EXPECT_EQ(said.code, 3);
  EXPECT_THAT(said.err, HasSubstr(std::to_string(port)));
}

}  // namespace
}  // namespace inchtide::test
