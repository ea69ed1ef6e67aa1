#pragma once
// What options and mandate add up to: the study's values.

#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/study/portfolios.hpp"
#include "kept.hpp"
#include "options.hpp"

namespace inchtide::app {

// The mandate with the options worked in.
Mandate mandate_of(const Options& options);

// A study as far as its universe.
struct Study {
  Mandate mandate;
  std::shared_ptr<const Loaded> loaded;
  std::string estimate_key;  // of what is kept; empty where nothing is
  report::Background from;

  const Settings& settings() const { return mandate.settings; }
  const Universe& universe() const { return loaded->universe; }
  const Sources& sources() const { return loaded->sources; }
};

Study load_study(const Options& options, Purpose purpose = Purpose::returns);

// A study as far as its basis, from prices or an estimate that was given.
struct Prepared {
  Settings settings;
  std::shared_ptr<const Sources> sources;
  std::shared_ptr<const Universe> universe;  // none beside an estimate
  Basis basis;
  report::Background from;
};

// From --estimate, or from prices (before --split where given).
Prepared prepare(const Options& options);
// From prices that are loaded already.
Prepared prepare(Study study, std::optional<Day> before, Kept* kept = nullptr);
// The same for a rehearsal, from its split on.
Prepared prepare_rehearsal(Study study);

// Portfolios by the settings; each aim has the whole of --patience.
Portfolios portfolios_of(const Prepared& prepared, const Options& options);

// What is drawn at random, by --draws, --block and --seed; nothing for 0 draws.
std::optional<BootstrapOptions> draws_of(const Options& options, int usual);

// Ends what takes longer than --patience.
StopCheck patience_of(const Options& options);

// The field of that name, given to an option.
PriceField field_of(const std::string& name, const char* option);

// Two codes with a colon between them.
std::pair<std::string, std::string> pair_of(const std::string& text, const char* option);

std::optional<Day> day_option(const std::string& text, const char* name);

}  // namespace inchtide::app
