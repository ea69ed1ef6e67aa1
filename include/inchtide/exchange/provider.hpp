#pragma once
/// A price provider as the mandate describes it: where to ask, and where in the answer things are. No provider is known
/// to the code.
///
///     [providers.pier]
///     url = "https://prices.example"          # http only to this machine, when a key is sent
///     path = "/history/{asset}?from={from}&to={to}&every={every}"   # also {from_seconds}, {to_seconds}
///     key_header = "X-Pier-Key"               # sent with each request
///     key_env = "PIER_KEY"                    # the environment variable that holds the key; it is stored nowhere
///     answer = "json"                         # or "csv"
///     days = "/series/days"                   # JSON Pointer (RFC 6901) to the array of days; in CSV the column's name
///     days_are = "day"                        # ISO days, or "seconds" since 1970
///     zone = "Europe/Oslo"                    # for seconds: an IANA zone, or an offset such as "+02:00"
///     open, high, low, close, adjusted_close, volume = "/series/close" ...
///
/// @code
/// #include <cassert>
/// using namespace inchtide::exchange;
/// Provider pier;
/// pier.name = "pier";
/// pier.url = "https://prices.example";
/// pier.path = "/history/{asset}?from={from}&to={to}";
/// const auto day = *inchtide::parse_day("2024-03-04");
/// assert(history_url(pier, "KELP", day, day) ==
///        "https://prices.example/history/KELP?from=2024-03-04&to=2024-03-04");
/// @endcode

#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/exchange/http.hpp"
#include "inchtide/prices/bars.hpp"

namespace inchtide::exchange {

struct INCHTIDE_API Provider {
  std::string name;
  std::string url, path;
  std::string key_header, key_env;
  bool csv = false;
  std::string days;  ///< JSON Pointer, or column
  bool seconds = false;
  std::string zone = "UTC";
  std::array<std::string, price_fields> fields = {};  ///< JSON Pointers, or columns; empty: not offered
  std::string message;                                ///< JSON Pointer to the words of an error, where it gives any
  std::string every = "1d";                           ///< what {every} stands for
  std::optional<Day> from;                            ///< the first day asked for; 1970 without it
  std::string scheme;                                 ///< the column of the identifiers that it knows assets by
  std::string suffix;                                 ///< put behind each code
  std::map<std::string, std::string> suffixes;        ///< by tag, e.g. "currency:MRD"; beats `suffix`
  std::string members_path, members;                  ///< a universe list {list} in JSON: path, and JSON Pointer
  CsvStyle style;
  HttpSettings http;
  int parallel = 4;       ///< requests on their way at once
  int overlap_days = 10;  ///< a later run asks again for so many days before the last stored one

  /// @throws InputError naming the provider and what is missing or contradicts itself
  void check() const;
};

/// The address to ask for one asset's bars. `code` is the provider's own.
[[nodiscard]] INCHTIDE_API std::string history_url(const Provider& provider, const std::string& code, Day from, Day to);

/// Reads an answer. Rows may come in any order; a null is a hole; days without any figure are left out.
/// @throws InputError naming the provider, the asset and the place: not JSON, nothing at a pointer, arrays of unequal
///         length, something that isn't a figure, a day that comes twice, a price that isn't positive, no row at all
[[nodiscard]] INCHTIDE_API BarHistory bars_from_answer(const Provider& provider, const std::string& asset,
                                                       const std::string& body);

/// The members of a universe list, in the provider's codes.
[[nodiscard]] INCHTIDE_API std::vector<std::string> members_from_answer(const Provider& provider,
                                                                        const std::string& list,
                                                                        const std::string& body);

/// The words of an error answer, for a message: what `message` points at, or the start of the text.
[[nodiscard]] INCHTIDE_API std::string words_of_error(const Provider& provider, const std::string& body);

/// The header that carries the key, with the key from the environment `lookup`; nothing when the provider needs none.
/// @throws InputError naming the variable when it isn't set, or when the key would travel unencrypted to another
/// machine
[[nodiscard]] INCHTIDE_API std::vector<std::string> key_headers(
    const Provider& provider, const std::function<std::optional<std::string>(const std::string&)>& lookup);

/// Between our codes and a provider's: a column of the identifiers, and a suffix.
class INCHTIDE_API CodeMap {
 public:
  /// @throws InputError when the identifiers have no column of the provider's scheme
  CodeMap(Provider provider, Tags identifiers, Tags tags);

  /// The provider's code of an asset; nothing when the identifiers have none.
  [[nodiscard]] std::optional<std::string> code_of(const std::string& asset) const;
  /// The asset that a code means, whether ours, the provider's, or of any scheme; nothing when none does.
  [[nodiscard]] std::optional<std::string> asset_of(const std::string& code) const;

 private:
  [[nodiscard]] std::string suffix_of(const std::string& asset) const;

  Provider provider_;
  Tags identifiers_, tags_;
};

}  // namespace inchtide::exchange
