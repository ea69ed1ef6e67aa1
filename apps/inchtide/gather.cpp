// inchtide gather: price histories from files or a provider into the local store.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <chrono>
#include <cstdlib>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/gather.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/report/gathering.hpp"
#include "output.hpp"
#include "study.hpp"
#include "watch.hpp"

namespace inchtide::app {
namespace {

Day today() {
  return std::chrono::floor<std::chrono::days>(std::chrono::system_clock::now());
}

const exchange::Provider& provider_of(const Mandate& mandate) {
  std::vector<std::string> names;
  for (const auto& provider : mandate.providers) names.push_back(provider.name);
  if (names.empty()) {
    throw InputError("gather", "there is nothing to gather from",
                     "Give --prices PATH, or --mandate FILE with [providers.NAME]");
  }
  if (!mandate.provider && names.size() > 1) {
    throw InputError("gather", fmt::format("the mandate has several providers: {}", fmt::join(names, ", ")),
                     "Choose one with --provider");
  }
  const auto found = find_name(mandate.provider.value_or(names.front()), names);
  if (!found) {
    throw InputError("--provider", fmt::format("the mandate has no provider '{}'", *mandate.provider),
                     did_you_mean(*mandate.provider, names));
  }
  return mandate.providers[*found];
}

// Whom to ask for, and who couldn't be mapped.
struct Members {
  std::vector<std::string> assets;
  std::vector<std::string> unmapped;
};

Members members_of(const Mandate& mandate, const Options& options, const exchange::Provider& provider,
                   const exchange::CodeMap& codes, const Tags& identifiers, const Tags& tags,
                   exchange::HttpClient& client) {
  Members members;
  const auto list = mandate.list.value_or("");
  if (!mandate.settings.assets.empty() && !options.has("--list")) {
    members.assets = mandate.settings.assets;
    if (mandate.settings.benchmark && !options.has("--assets")) members.assets.push_back(*mandate.settings.benchmark);
    return members;
  }
  std::vector<std::string> given;
  if (!list.empty() && std::filesystem::is_regular_file(list)) {
    given = exchange::read_members(list, identifiers.columns).members;
  } else if (!list.empty()) {
    if (provider.members_path.empty()) {
      throw InputError("--list",
                       fmt::format("there is no file '{}', and provider {} has no universe lists", list, provider.name),
                       "Give a file, or members_path and members in the mandate");
    }
    auto path = provider.members_path;
    const auto at = path.find("{list}");
    if (at != std::string::npos) path.replace(at, 6, exchange::url_part(list));
    const auto answer = client.get(provider.url + path);
    if (answer.status != 200) {
      throw InputError("--list",
                       fmt::format("provider {} answered {}: {}", provider.name, answer.status,
                                   exchange::words_of_error(provider, answer.body)),
                       "Check the list's name");
    }
    given = exchange::members_from_answer(provider, list, answer.body);
  } else {
    // Nothing says whom: everybody that the identifiers, else the tags, know.
    members.assets = identifiers.assets.empty() ? tags.assets : identifiers.assets;
    if (members.assets.empty()) {
      throw InputError("gather", "no asset is named", "Give --assets A,B,... or --list");
    }
    return members;
  }
  for (const auto& code : given) {
    if (const auto asset = codes.asset_of(code)) {
      members.assets.push_back(*asset);
    } else {
      members.unmapped.push_back(code);
    }
  }
  return members;
}

exchange::GatherReport from_provider(const Mandate& mandate, const Options& options, exchange::PriceStore& store,
                                     exchange::GatherOptions how, std::vector<Notice>& warnings) {
  const auto& provider = provider_of(mandate);
  const auto identifiers = mandate.identifiers ? exchange::read_tags(*mandate.identifiers) : Tags{};
  const auto tags = mandate.tags ? exchange::read_tags(*mandate.tags) : Tags{};
  const exchange::CodeMap codes(provider, identifiers, tags);
  const auto environment = [](const std::string& name) -> std::optional<std::string> {
    const char* value = std::getenv(name.c_str());
    return value == nullptr ? std::nullopt : std::optional<std::string>(value);
  };
  exchange::HttpClient client(provider.http, exchange::key_headers(provider, environment), how.stop);
  auto members = members_of(mandate, options, provider, codes, identifiers, tags, client);
  std::vector<exchange::Request> requests;
  exchange::GatherReport unmapped;
  for (const auto& asset : members.assets) {
    if (const auto code = codes.code_of(asset)) {
      requests.push_back({asset, *code});
    } else {
      exchange::GatheredAsset gathered{asset};
      gathered.error = fmt::format("the identifiers have no {} of it. Add it there", provider.scheme);
      unmapped.assets.push_back(std::move(gathered));
    }
  }
  if (!members.unmapped.empty()) {
    warnings.push_back(fmt::format("Members that no identifier maps to an asset: {}. Add them to the identifiers",
                                   fmt::join(members.unmapped, ", ")));
  }
  if (!how.to) how.to = today();
  auto report = exchange::gather_from(provider, requests, client, store, how);
  report.assets.insert(report.assets.end(), unmapped.assets.begin(), unmapped.assets.end());
  return report;
}

ExitCode exit_code_of(const exchange::GatherReport& report, bool unmapped) {
  if (report.interrupted) return interrupted;
  std::size_t failed = 0;
  bool outside = false, fault = false;
  for (const auto& asset : report.assets) {
    failed += asset.error ? 1 : 0;
    outside = outside || asset.outside;
    fault = fault || asset.fault;
  }
  if (fault) return own_fault;
  if (failed == 0 && !unmapped) return done;
  if (failed < report.assets.size() || failed == 0) return done_in_part;
  return outside ? outside_failed : bad_input;
}

}  // namespace

report::Chapter gather(const Options& options, ExitCode* ends_with) {
  auto mandate = mandate_of(options);
  if (!mandate.store) {
    throw InputError("store", "none was named", "Give --store FILE, or --mandate FILE with [gather] store");
  }
  const auto watch = watched(options);
  exchange::PriceStore store(*mandate.store, exchange::PriceStore::Access::write);
  exchange::GatherOptions how{mandate.settings.from, mandate.settings.to, options.in_full, watch.stop, watch.progress};
  report::Json inputs{{"store", mandate.store->string()}};
  std::vector<Notice> warnings;
  exchange::GatherReport report;
  // The mandate's prices are what the other commands read; only --prices says that files are to be gathered.
  if (options.has("--prices")) {
    inputs["prices"] = options.text("--prices");
    const exchange::PriceReading reading{mandate.style,
                                         {},
                                         options.has("--assets") ? mandate.settings.assets : std::vector<std::string>(),
                                         options.threads};
    report = exchange::gather_files(options.text("--prices"), reading, store, how);
  } else {
    inputs["provider"] = provider_of(mandate).name;
    report = from_provider(mandate, options, store, how, warnings);
  }
  if (report.assets.empty() && !report.interrupted) {
    throw InputError("gather", "none of the assets is there", "Check --assets and --list");
  }
  if (ends_with != nullptr) *ends_with = exit_code_of(report, !warnings.empty());
  auto chapter = report::gather_chapter(report, options.spelt);
  chapter.inputs = std::move(inputs);
  chapter.warnings = std::move(warnings);
  return chapter;
}

void add_gather(CLI::App& tool, Options& options) {
  auto& command =
      add_command(tool, options, "gather", "Bring price histories into a local store, from files or a provider",
                  "  inchtide gather --prices demo/prices --store prices.store\n"
                  "  inchtide gather --mandate demo/mandate.toml --list hollin --store prices.store",
                  [&options] {
                    ExitCode ends_with = done;
                    auto chapter = gather(options, &ends_with);
                    options.exit_code = ends_with;
                    deliver(chapter, options);
                  });
  add_gather_options(command, options);
  add_settings(command, options, {Step::gathering});
  add_output_options(command, options);
}

}  // namespace inchtide::app
