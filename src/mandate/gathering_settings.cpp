#include "mandate/takers.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace inchtide {

using exchange::CsvStyle, exchange::HttpSettings, exchange::Provider;

namespace {

Provider& provider_of(Mandate& mandate, const Given& given) {
  auto& providers = mandate.providers;
  const auto found = std::ranges::find(providers, given.names[0], &Provider::name);
  if (found != providers.end()) return *found;
  providers.push_back(Provider{given.names[0]});
  return providers.back();
}

Declaration of_a_provider(const char* key, Takes takes, const char* help, const char* example,
                          std::function<void(Provider&, const Given&)> take) {
  return {fmt::format("providers.*.{}", key),
          "",
          takes,
          "",
          help,
          "",
          example,
          {Step::gathering},
          [take = std::move(take)](Mandate& mandate, const Given& given) { take(provider_of(mandate, given), given); }};
}

Declaration provider_text(const char* key, std::string Provider::*target, const char* help, const char* example) {
  return of_a_provider(key, Takes::text, help, example,
                       [target](Provider& provider, const Given& given) { provider.*target = given.text(); });
}

Declaration provider_number(const char* key, double HttpSettings::*target, const char* help, const char* example) {
  return of_a_provider(key, Takes::number, help, example, [target](Provider& provider, const Given& given) {
    provider.http.*target = number_in(given, -1e15, 1e15);
  });
}

Declarations of_providers() {
  Declarations list = {
      provider_text("url", &Provider::url, "Where it answers", "https://prices.example"),
      provider_text("path", &Provider::path, "The path of a history, with {asset}", "/history/{asset}"),
      provider_text("key_header", &Provider::key_header, "The header that carries the key", "X-Key"),
      provider_text("key_env", &Provider::key_env, "The environment variable that holds the key", "PIER_KEY"),
      provider_text("days", &Provider::days, "Where the days are: a pointer, or a column", "/days"),
      provider_text("zone", &Provider::zone, "Of its days", "Europe/Oslo"),
      provider_text("message", &Provider::message, "Where its complaints are", "/error"),
      provider_text("every", &Provider::every, "The interval to ask for", "1d"),
      provider_text("scheme", &Provider::scheme, "Of the identifiers that it knows assets by", "pier"),
      provider_text("suffix", &Provider::suffix, "Added to every code", ".HL"),
      provider_text("members_path", &Provider::members_path, "The path of a list, with {list}", "/lists/{list}"),
      provider_text("members", &Provider::members, "Where the members of a list are", "/members"),
      of_a_provider("answer", Takes::text, "json or csv", "csv",
                    [](Provider& p, const Given& g) {
                      p.csv = choice_in(g, {"json", "csv"}) == 1;
                    }),
      of_a_provider("days_are", Takes::text, "day, or seconds since 1970", "seconds",
                    [](Provider& p, const Given& g) {
                      p.seconds = choice_in(g, {"day", "seconds"}) == 1;
                    }),
      of_a_provider("from", Takes::day, "The first day that it has", "2010-01-01",
                    [](Provider& p, const Given& g) { p.from = day_in(g); }),
      of_a_provider("dates", Takes::text, "As for files", "day-first",
                    [](Provider& p, const Given& g) { p.style.dates = CsvStyle::parse_dates(g.text(), g.where); }),
      of_a_provider("decimal", Takes::text, "As for files", "comma",
                    [](Provider& p, const Given& g) { p.style.decimal = CsvStyle::parse_decimal(g.text(), g.where); }),
      of_a_provider("suffixes.*", Takes::text, "Added to the codes of assets with a tag", ".MX",
                    [](Provider& p, const Given& g) { p.suffixes[g.names[1]] = g.text(); }),
      provider_number("timeout_seconds", &HttpSettings::timeout_seconds, "How long an answer may take", "20"),
      provider_number("backoff_seconds", &HttpSettings::backoff_seconds, "The first wait before another try", "1"),
      provider_number("requests_per_second", &HttpSettings::requests_per_second, "At most", "5"),
      of_a_provider("retries", Takes::whole, "Tries after the first", "4",
                    [](Provider& p, const Given& g) { p.http.retries = whole_in(g, 0, 1'000'000); }),
      of_a_provider("ca_file", Takes::path, "The certificate of who issued its own", "pier.pem",
                    [](Provider& p, const Given& g) { p.http.ca_file = (g.folder / g.text()).string(); }),
      of_a_provider("parallel", Takes::whole, "Requests at a time", "4",
                    [](Provider& p, const Given& g) { p.parallel = whole_in(g, 0, 1'000'000); }),
      of_a_provider("overlap_days", Takes::whole, "Asked for again before the last stored day", "10",
                    [](Provider& p, const Given& g) { p.overlap_days = whole_in(g, 0, 1'000'000); }),
  };
  for (std::size_t k = 0; k < price_fields; ++k) {
    auto key = to_string(PriceField(k));
    std::ranges::replace(key, ' ', '_');
    list.push_back(of_a_provider(key.c_str(), Takes::text, "Where these figures are", "/close",
                                 [k](Provider& p, const Given& g) { p.fields[k] = g.text(); }));
  }
  return list;
}

}  // namespace

Declarations of_gathering() {
  Declarations list = of_providers();
  list.push_back({"gather.store",
                  "--store",
                  Takes::path,
                  "FILE",
                  "The store, one file; made when it isn't there",
                  "",
                  "prices.store",
                  {Step::gathering},
                  path_to(&Mandate::store),
                  Means::store});
  list.push_back({"gather.provider",
                  "--provider",
                  Takes::text,
                  "NAME",
                  "Gather from this provider of the mandate",
                  "",
                  "pier",
                  {Step::gathering},
                  [](Mandate& mandate, const Given& given) { mandate.provider = given.text(); }});
  list.push_back({"gather.list",
                  "--list",
                  Takes::text,
                  "LIST",
                  "The assets of a list: a text file (one a line), a CSV file, or a universe list of the provider",
                  "",
                  "hollin",
                  {Step::gathering},
                  [](Mandate& mandate, const Given& given) {
                    std::error_code error;  // a file beside the mandate, or the name of a provider's list
                    const auto file = given.folder / given.text();
                    mandate.list = std::filesystem::is_regular_file(file, error) ? file.string() : given.text();
                  }});
  return list;
}

}  // namespace inchtide
