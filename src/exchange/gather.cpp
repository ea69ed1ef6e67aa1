#include "inchtide/exchange/gather.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <mutex>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"

namespace inchtide::exchange {
namespace {

/// Adjusted closes that differ by more than this (relative) were adjusted again; less is rounding.
constexpr double same_adjustment = 1e-7;
/// Where nothing says how far back to ask.
constexpr Day beginning = std::chrono::sys_days{std::chrono::year{1970} / 1 / 1};

bool stopped(const GatherOptions& options) {
  return options.stop && options.stop();
}

void take_down(GatheredAsset& gathered, const PriceStore::Written& written) {
  gathered.rows_new = written.rows_new;
  gathered.changed = written.changed;
  gathered.unchanged = written.unchanged;
  if (written.removed > 0) {
    gathered.note +=
        fmt::format("{}{} days that no longer come were removed", gathered.note.empty() ? "" : "; ", written.removed);
  }
}

/// What the store holds now, whether this run added to it or failed.
void take_down_span(GatheredAsset& gathered, const PriceStore& store) {
  const auto stored = store.find(gathered.asset);
  if (!stored || stored->rows == 0) return;
  gathered.from = stored->from;
  gathered.to = stored->to;
}

void take_down(GatheredAsset& gathered, const Error& error) {
  gathered.error = error.notice();
  gathered.outside = dynamic_cast<const OutsideFailure*>(&error) != nullptr;
}

/// The first day before the last stored one whose adjusted close differs from what now comes.
std::optional<Day> adjusted_again(const BarHistory& stored, const BarHistory& fetched) {
  const auto &old_closes = stored.of(PriceField::adjusted_close), &new_closes = fetched.of(PriceField::adjusted_close);
  if (old_closes.empty() || new_closes.empty()) return std::nullopt;
  std::size_t at = 0;
  for (std::size_t row = 0; row + 1 < stored.days.size(); ++row) {  // the last day's close may not have been final
    while (at < fetched.days.size() && fetched.days[at] < stored.days[row]) ++at;
    if (at == fetched.days.size() || fetched.days[at] != stored.days[row]) continue;
    if (std::abs(old_closes[row] - new_closes[at]) > same_adjustment * std::abs(old_closes[row]))
      return stored.days[row];
  }
  return std::nullopt;
}

/// Rows that the store has from before the first one of a full answer stay, with their adjusted closes brought to the
/// new level. Returns how many.
std::size_t keep_older_rows(const BarHistory& stored, BarHistory& fetched) {
  const Day first = fetched.days.front();
  const auto at = std::ranges::lower_bound(stored.days, first) - stored.days.begin();
  if (at == 0 || std::size_t(at) == stored.days.size() || stored.days[std::size_t(at)] != first) return 0;
  const auto older = stored.between(std::nullopt, first - std::chrono::days{1});
  double level = 1;
  if (stored.has(PriceField::adjusted_close) && fetched.has(PriceField::adjusted_close)) {
    level = fetched.of(PriceField::adjusted_close)[0] / stored.of(PriceField::adjusted_close)[std::size_t(at)];
  }
  if (!std::isfinite(level)) return 0;
  auto& days = fetched.days.edit();
  days.insert(days.begin(), older.days.begin(), older.days.end());
  for (std::size_t k = 0; k < price_fields; ++k) {
    auto& field = fetched.fields[k];
    if (field.empty() && older.fields[k].empty()) continue;
    if (field.empty()) field.assign(days.size() - older.days.size(), std::numeric_limits<double>::quiet_NaN());
    auto before = older.fields[k];
    if (before.empty()) before.assign(older.days.size(), std::numeric_limits<double>::quiet_NaN());
    if (PriceField(k) == PriceField::adjusted_close) {
      for (double& value : before) value *= level;
    }
    field.insert(field.begin(), before.begin(), before.end());
  }
  return older.days.size();
}

/// One run against a provider, shared by its workers.
class ProviderRun {
 public:
  ProviderRun(const Provider& provider, HttpClient& client, PriceStore& store, const GatherOptions& options)
      : provider_(provider), client_(client), store_(store), options_(options) {}

  void gather(const Request& request, GatheredAsset& gathered) {
    const auto stored = [&] {
      const std::lock_guard guard(mutex_);
      return options_.in_full ? std::nullopt : store_.find(request.asset);
    }();
    const Day earliest = options_.from.value_or(provider_.from.value_or(beginning));
    if (!stored || stored->rows == 0 || (options_.from && *options_.from < stored->from)) {
      const auto merge = options_.in_full ? PriceStore::Merge::replace : PriceStore::Merge::update;
      return write(gathered, fetch(request, earliest), merge);
    }
    auto fetched = fetch(request, std::max(stored->from, stored->to - std::chrono::days{provider_.overlap_days}));
    const auto kept = [&] {
      const std::lock_guard guard(mutex_);
      return *store_.bars(request.asset);
    }();
    const auto since = adjusted_again(kept, fetched);
    if (!since) return write(gathered, fetched, PriceStore::Merge::update);
    fetched = fetch(request, std::min(earliest, stored->from));
    gathered.note = fmt::format("adjusted closes changed (seen on {}): fetched in full", to_string(*since));
    if (const auto older = keep_older_rows(kept, fetched)) {
      gathered.note += fmt::format("; {} older days are kept, scaled to the new level", older);
    }
    write(gathered, fetched, PriceStore::Merge::replace);
  }

  void done(const std::string& asset, std::size_t all) {
    const std::lock_guard guard(mutex_);
    ++done_;
    if (options_.progress) options_.progress(done_, all, asset);
  }

 private:
  BarHistory fetch(const Request& request, Day from) {
    const Day to = options_.to.value_or(from);
    if (from > to) {
      throw InputError(Where::of_asset(request.asset),
                       fmt::format("nothing lies between {} and {}", to_string(from), to_string(to)),
                       {Means::window, "Ask for other days"});
    }
    const auto url = history_url(provider_, request.code, from, to);
    const auto answer = client_.get(url);
    if (answer.status >= 200 && answer.status < 300) {
      auto bars = bars_from_answer(provider_, request.asset, answer.body);
      if (bars.days.empty() || bars.days.back() <= to) return bars;
      throw InputError(Where::of_asset(request.asset),
                       fmt::format("provider {} answered a row of {}, after the last day asked for, {}", provider_.name,
                                   to_string(bars.days.back()), to_string(to)),
                       "Check days and path of the provider in the mandate");
    }
    const auto words = client_.without_secrets(words_of_error(provider_, answer.body));
    const auto said =
        fmt::format("provider {} answered {}{}{}", provider_.name, answer.status, words.empty() ? "" : ": ", words);
    if (answer.status == 401 || answer.status == 403) {
      throw InputError(Where::of_asset(request.asset), said,
                       provider_.key_env.empty() ? "It may need a key: key_header and key_env in the mandate"
                                                 : fmt::format("Check the key in {}", provider_.key_env));
    }
    if (answer.status >= 300 && answer.status < 400) {
      throw InputError(Where::of_asset(request.asset), said,
                       "It has moved: redirects aren't followed; correct url in the mandate");
    }
    throw InputError(Where::of_asset(request.asset), said,
                     fmt::format("Asked for {}: check the code and the path", request.code));
  }

  void write(GatheredAsset& gathered, const BarHistory& bars, PriceStore::Merge merge) {
    const std::lock_guard guard(mutex_);
    if (stopped(options_)) throw Interrupted("Stopped");
    take_down(gathered, store_.put(bars, provider_.name, merge));
  }

  const Provider& provider_;
  HttpClient& client_;
  PriceStore& store_;
  const GatherOptions& options_;
  std::mutex mutex_;  // guards the store, and calls of progress
  std::size_t done_ = 0;
};

}  // namespace

GatherReport gather_files(const std::filesystem::path& path, const PriceReading& reading, PriceStore& store,
                          const GatherOptions& options) {
  GatherReport report;
  auto read = read_bars_listing_failures(path, reading);
  for (auto& bars : read.bars) {
    if (stopped(options)) {
      report.interrupted = true;
      return report;
    }
    GatheredAsset gathered{bars.asset};
    try {
      const auto window = bars.between(options.from, options.to);
      if (window.days.empty()) {
        throw InputError(
            Where::of_asset(bars.asset), "it has no row in the window",
            fmt::format("It runs from {} to {}", to_string(bars.days.front()), to_string(bars.days.back())));
      }
      bars = {};
      const auto merge = options.in_full ? PriceStore::Merge::replace : PriceStore::Merge::update;
      take_down(gathered, store.put(window, path.string(), merge));
    } catch (const Error& error) {
      take_down(gathered, error);
    }
    take_down_span(gathered, store);
    report.assets.push_back(std::move(gathered));
    if (options.progress) options.progress(report.assets.size(), read.bars.size(), report.assets.back().asset);
  }
  for (auto& [asset, failure] : read.failures) {
    GatheredAsset gathered{asset};
    gathered.error = std::move(failure);
    take_down_span(gathered, store);
    report.assets.push_back(std::move(gathered));
  }
  return report;
}

GatherReport gather_from(const Provider& provider, const std::vector<Request>& requests, HttpClient& client,
                         PriceStore& store, const GatherOptions& options) {
  provider.check();
  std::vector<GatheredAsset> gathered(requests.size());
  std::vector<char> reached(requests.size(), 0);
  ProviderRun run(provider, client, store, options);
  const auto one = [&](std::size_t i) {
    gathered[i].asset = requests[i].asset;
    try {
      run.gather(requests[i], gathered[i]);
    } catch (const Interrupted&) {
      throw;
    } catch (const Error& error) {
      take_down(gathered[i], error);
    } catch (const std::bad_alloc&) {
      take_down(gathered[i], OutsideFailure({}, "there is not enough memory for this answer"));
    } catch (const std::exception& error) {  // costs no other asset its prices
      gathered[i].error = Notice({}, fmt::format("This is a fault of Inch Tide, not of your data: {}", error.what()),
                                 {"Please report it"});
      gathered[i].fault = true;
    }
    reached[i] = 1;
    run.done(requests[i].asset, requests.size());
  };
  bool interrupted = false;
  try {
    Executor::of_waiters(provider.parallel).each(requests.size(), one, {options.stop, {}});
  } catch (const Interrupted&) {
    interrupted = true;
  }
  GatherReport report;
  report.interrupted = interrupted;
  for (std::size_t i = 0; i < requests.size(); ++i) {
    if (reached[i] == 0) continue;
    take_down_span(gathered[i], store);
    report.assets.push_back(std::move(gathered[i]));
  }
  return report;
}

}  // namespace inchtide::exchange
