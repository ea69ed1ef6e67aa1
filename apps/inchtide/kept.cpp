#include "kept.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "inchtide/exchange/settings_file.hpp"
#include "inchtide/mandate/declarations.hpp"

namespace inchtide::app {
namespace {

/// Acts on what is estimated as well, wherever it is declared to act.
bool acts_early(const std::string& key) {
  return key == "estimate.risk_free" || key == "rehearsal.split";
}

bool acts_in(const Declaration& declaration, std::initializer_list<Step> steps) {
  return std::ranges::any_of(declaration.steps, [&](Step step) { return std::ranges::count(steps, step) > 0; });
}

}  // namespace

template <typename Value>
std::shared_ptr<const Value> Kept::of(Entries<Value>& entries, const std::string& key,
                                      const std::function<Value()>& make) {
  {
    const std::lock_guard lock(mutex_);
    const auto found = entries.find(key);
    if (found != entries.end()) {
      found->second.used = ++uses_;
      return found->second.value;
    }
  }
  auto made = std::make_shared<const Value>(make());
  const std::lock_guard lock(mutex_);
  auto& entry = entries[key];
  if (!entry.value) entry.value = std::move(made);
  entry.used = ++uses_;
  auto value = entry.value;
  if (entries.size() > most) {
    entries.erase(std::ranges::min_element(entries, {}, [](const auto& one) { return one.second.used; }));
  }
  return value;
}

template std::shared_ptr<const Loaded> Kept::of(Entries<Loaded>&, const std::string&, const std::function<Loaded()>&);
template std::shared_ptr<const Basis> Kept::of(Entries<Basis>&, const std::string&, const std::function<Basis()>&);

KeptKeys keys_of(const std::string& mandate_text, const std::string& file) {
  KeptKeys keys;
  for (const auto& setting : exchange::settings_in(mandate_text, file)) {
    const auto* declaration = declaration_at(setting.path);
    if (declaration == nullptr) continue;
    const auto line = fmt::format("{}\n\t{}\n", fmt::join(setting.path, "\n"), fmt::join(setting.texts, "\n\t"));
    const bool of_universe =
        acts_in(*declaration, {Step::reading, Step::universe, Step::returns}) || setting.path.front() == "universe";
    if (of_universe) keys.universe += line;
    if (acts_in(*declaration, {Step::estimate}) || setting.path.front() == "views" || acts_early(setting.key())) {
      keys.estimate += line;
    }
  }
  keys.estimate = keys.universe + "\n" + keys.estimate;
  return keys;
}

}  // namespace inchtide::app
