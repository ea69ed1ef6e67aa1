#pragma once
// `inchtide gather` as a process, from files or from the stand-in provider over loopback.

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "support/server.hpp"
#include "support/tool.hpp"

namespace inchtide::test::gathering {

using nlohmann::json;

inline const std::string prices = demo + "/prices";

inline Said gather(const std::string& arguments, const std::string& before = "") {
  return run(before + " " + tool + " gather " + arguments);
}

inline std::map<std::string, json> assets_in(const Said& said) {
  std::map<std::string, json> assets;
  const auto document = json::parse(said.out);
  for (const auto& asset : document["result"]["assets"]) assets[asset["asset"]] = asset;
  return assets;
}

// A mandate whose provider is the pier, with `more` keys of its own.
inline fs::path mandate_for(const Folder& folder, const std::string& url, const std::string& more = "") {
  return folder.write("mandate.toml", fmt::format(R"(
[universe]
tags = "{0}/tags.csv"
identifiers = "{0}/identifiers.csv"
[providers.pier]
url = "{1}"
path = "/v1/history/{{asset}}?from={{from}}&to={{to}}&every={{every}}"
key_header = "X-Pier-Key"
key_env = "PIER_KEY"
days = "/series/days"
open = "/series/open"
high = "/series/high"
low = "/series/low"
close = "/series/close"
adjusted_close = "/series/adjusted_close"
volume = "/series/volume"
message = "/message"
members_path = "/v1/lists/{{list}}"
members = "/members"
scheme = "exchange_code"
suffix = ".HX"
suffixes = {{ "currency:MRD" = ".MX" }}
from = 2018-01-01
requests_per_second = 500
backoff_seconds = 0.01
{2}
)",
                                                  demo, url, more));
}

inline std::string from_pier(const Folder& folder, const std::string& more = "") {
  return "--mandate " + (folder / "mandate.toml").string() + " --store " + (folder / "p.store").string() + " " + more;
}

inline const std::string key = "PIER_KEY=crab";

inline std::size_t rows_of(const std::string& asset) {
  const auto text = text_of(prices + "/" + asset + ".csv");
  return std::size_t(std::ranges::count(text, '\n')) - 1;
}
}  // namespace inchtide::test::gathering
