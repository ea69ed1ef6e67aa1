#pragma once
// A study whose mandate is changed while it is looked at: what its page asks for, and the answers. Nothing here knows
// how the two reach each other.

#include <chrono>
#include <condition_variable>
#include <filesystem>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "inchtide/base/progress.hpp"
#include "inchtide/mandate/changes.hpp"
#include "options.hpp"

namespace inchtide::app {

class LiveStudy {
 public:
  using Json = nlohmann::ordered_json;

  // Reads the mandate once; a file that changes later changes nothing.
  explicit LiveStudy(const Options& options);

  // What the study is about, its mandate's keys with their values, and all keys that there are.
  Json outline() const;

  // A chapter under changes, JSON as text: {"document": as --json has it, "view": as the page has it, "milliseconds"}.
  // May be called from several threads; so many at once are computed as there are processors.
  // @param patience seconds for a search of positions, for each aim; the usual ones when left out
  // @throws InputError as the command does, and for what cannot be changed here; Interrupted once `stop` says so
  std::string chapter(const std::string& command, const std::vector<MandateChange>& changes, const StopCheck& stop,
                      std::optional<double> patience = {});

  // The frontier's result alone under changes, JSON as text: what moves at once.
  std::string frontier(const std::vector<MandateChange>& changes, const StopCheck& stop);

  // Writes the mandate with the changes beside the old one, under a name that no file has.
  // @returns the name
  std::string keep(const std::vector<MandateChange>& changes) const;

  // How its page spells what can be changed.
  const SpeltMeans& spelt() const { return options_.spelt; }

 private:
  std::string changed(const std::vector<MandateChange>& changes) const;
  Options under(const std::vector<MandateChange>& changes, const StopCheck& stop) const;
  class Turn;

  Options options_;
  std::string text_;  // of the mandate
  std::shared_ptr<Kept> kept_;
  std::mutex mutex_;
  std::condition_variable free_;
  int turns_;
};

}  // namespace inchtide::app
