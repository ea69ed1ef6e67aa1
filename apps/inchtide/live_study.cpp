#include "live_study.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <thread>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/base/version.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/settings_file.hpp"
#include "inchtide/mandate/declarations.hpp"
#include "inchtide/report/page.hpp"
#include "kept.hpp"
#include "output.hpp"

namespace inchtide::app {
namespace {

namespace fs = std::filesystem;

constexpr int most_kept = 999;  // mandates beside each other
constexpr double most_patience = 3600;

/// In the order of the page's sections.
constexpr std::pair<const char*, report::Chapter (*)(const Options&)> chapters[] = {
    {"inspect", inspect},   {"describe", describe}, {"relate", relate},    {"estimate", estimate},
    {"frontier", frontier}, {"weigh", weigh},       {"rehearse", rehearse}};

/// Files stay those of the mandate, and a grid is for the command line.
bool can_change(const Declaration& declaration) {
  const auto table = declaration.key.substr(0, declaration.key.find('.'));
  const bool gathers = table == "gather" || table == "providers";
  return !declaration.key.empty() && declaration.takes != Takes::path && !gathers && table != "grid" &&
         table != "cells";
}

const char* name_of(Takes takes) {
  switch (takes) {
    case Takes::list:
    case Takes::values: return "list";
    case Takes::yes_or_no: return "yes_or_no";
    default: return "text";
  }
}

/// The key that changes it, less the star that stands for a name.
std::string spelt_in_the_page(Means means) {
  auto key = key_of(means);
  if (key.ends_with(".*")) key.resize(key.size() - 2);
  return key;
}

void write_all(int file, const std::string& text, const fs::path& path) {
  for (std::size_t done = 0; done < text.size();) {
    const auto count = write(file, text.data() + done, text.size() - done);
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) throw OutsideFailure(path.string(), std::strerror(errno), "See that it can be written");
    done += std::size_t(count);
  }
}

}  // namespace

/// One of the few that compute at a time.
class LiveStudy::Turn {
 public:
  Turn(LiveStudy& study, const StopCheck& stop) : study_(study) {
    std::unique_lock lock(study_.mutex_);
    while (!study_.free_.wait_for(lock, std::chrono::milliseconds(20), [&] { return study_.turns_ > 0; })) {
      if (stop()) throw Interrupted("explore", "it is no longer wanted");
    }
    --study_.turns_;
  }
  ~Turn() {
    {
      const std::lock_guard lock(study_.mutex_);
      ++study_.turns_;
    }
    study_.free_.notify_one();
  }
  Turn(const Turn&) = delete;
  Turn& operator=(const Turn&) = delete;

 private:
  LiveStudy& study_;
};

LiveStudy::LiveStudy(const Options& options)
    : options_(options),
      text_(exchange::read_text_file(options.mandate)),
      kept_(std::make_shared<Kept>()),
      turns_(std::max(1, int(std::thread::hardware_concurrency()))) {
  options_.spelt = spelt_in_the_page;
  (void)mandate_in(text_, options_.mandate);
}

LiveStudy::Json LiveStudy::outline() const {
  const auto mandate = mandate_in(text_, options_.mandate);
  Json json{{"version", version},
            {"mandate", fs::path(options_.mandate).filename().string()},
            {"title", fs::path(options_.mandate).stem().string()},
            {"currency", mandate.settings.currency.value_or("")}};
  if (json["title"] == "mandate") json["title"] = fs::absolute(options_.mandate).parent_path().filename().string();
  json["chapters"] = Json::array();
  for (const auto& [name, make] : chapters) json["chapters"].push_back(name);
  json["settings"] = Json::array();
  for (const auto& setting : exchange::settings_in(text_, options_.mandate)) {
    const auto* declaration = declaration_at(setting.path);
    if (declaration == nullptr || !can_change(*declaration)) continue;
    json["settings"].push_back({{"path", setting.path},
                                {"texts", setting.texts},
                                {"takes", name_of(declaration->takes)},
                                {"help", declaration->help}});
  }
  json["keys"] = Json::array();
  for (const auto& one : declarations()) {
    if (!can_change(one)) continue;
    json["keys"].push_back({{"key", one.key},
                            {"takes", name_of(one.takes)},
                            {"help", one.help},
                            {"usual", one.usual},
                            {"example", one.example}});
  }
  return json;
}

std::string LiveStudy::changed(const std::vector<MandateChange>& changes) const {
  for (const auto& change : changes) {
    const auto* declaration = declaration_at(change.path);
    if (declaration == nullptr || can_change(*declaration)) continue;
    throw InputError(declaration->key, "it cannot be changed here", "Change it in the mandate, and explore that");
  }
  return changed_mandate(text_, changes, options_.mandate);
}

Options LiveStudy::under(const std::vector<MandateChange>& changes, const StopCheck& stop) const {
  Options options = options_;
  options.whole_study = true;
  options.live = Live{changed(changes), kept_, stop};
  const auto split = mandate_in(options.live->mandate, options.mandate).settings.split;
  if (split) options.given["--split"] = {to_string(*split)};
  return options;
}

std::string LiveStudy::chapter(const std::string& command, const std::vector<MandateChange>& changes,
                               const StopCheck& stop, std::optional<double> patience) {
  const auto made = std::ranges::find(chapters, command, [](const auto& one) { return std::string(one.first); });
  if (made == std::end(chapters)) {
    std::vector<std::string> names;
    for (const auto& [name, make] : chapters) names.emplace_back(name);
    throw InputError(command, "there is no such chapter", did_you_mean(command, names));
  }
  const Turn turn(*this, stop);
  auto options = under(changes, stop);
  if (patience) options.patience = within(*patience, 0, most_patience, "patience");
  const auto begin = std::chrono::steady_clock::now();
  const auto chapter = made->second(options);
  if (stop()) throw Interrupted("explore", "it is no longer wanted");
  const auto view = report::view_of(chapter, options.spelt).dump(-1, ' ', false, Json::error_handler_t::replace);
  const std::chrono::duration<double, std::milli> taken = std::chrono::steady_clock::now() - begin;
  return fmt::format(R"({{"document":{},"view":{},"milliseconds":{:.1f}}})", report::to_json(chapter, options.spelt),
                     view, taken.count());
}

std::string LiveStudy::frontier(const std::vector<MandateChange>& changes, const StopCheck& stop) {
  const Turn turn(*this, stop);
  return frontier_alone(under(changes, stop)).dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string LiveStudy::keep(const std::vector<MandateChange>& changes) const {
  const auto text = changed(changes);
  (void)mandate_in(text, options_.mandate);
  const fs::path old(options_.mandate);
  for (int k = 2; k <= most_kept; ++k) {
    const auto path = old.parent_path() / fmt::format("{}-{}{}", old.stem().string(), k, old.extension().string());
    const int file = open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0644);
    if (file < 0 && errno == EEXIST) continue;
    if (file < 0) throw OutsideFailure(path.string(), std::strerror(errno), "See that the folder can be written");
    try {
      write_all(file, text, path);
    } catch (...) {
      close(file);
      unlink(path.c_str());
      throw;
    }
    close(file);
    return path.filename().string();
  }
  throw OutsideFailure(old.string(), fmt::format("{} mandates are kept beside it", most_kept), "Delete some");
}

}  // namespace inchtide::app
