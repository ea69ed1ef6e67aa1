#pragma once
/// Something that is wrong or worth knowing: where it is, what it is, and the ways out.
///
/// Errors, findings in prices, advice on estimates and warnings are all told in this way. A way out says what a caller
/// can change (`Means`) and in which words; it names no option and no key, since whoever talks to the user knows how
/// these are spelt (`Notice::text`).
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const Notice notice(Where::of_asset("KELPFARM"), "its history is too short",
///                     {{Means::interval, "Take a shorter interval"}, {Means::assets, "leave it out"}});
/// assert(notice.text() == "KELPFARM: its history is too short. Take a shorter interval, or leave it out");
/// const auto key = [](Means means) { return means == Means::interval ? "estimate.every" : ""; };
/// assert(notice.text(key) ==
///        "KELPFARM: its history is too short. Take a shorter interval (estimate.every), or leave it out");
/// @endcode

#include <chrono>
#include <cstddef>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// What a caller can change to get on.
enum class Means {
  none,  ///< nothing that has a name: an argument, a cell of a file
  actions,
  aim,
  alignment,
  assets,
  benchmark,
  borrowing,
  costs,
  covariance,  ///< the method
  currency,
  current,  ///< the weights held now
  date_order,
  decimal_mark,
  expected_return,  ///< the method
  gather,           ///< run `gather` again, or first
  gather_in_full,
  inspect,  ///< look at the prices with `inspect`
  interval,
  last_period,
  limits,
  mandate,
  misprints,
  patience,
  prices,
  price_field,
  rates,
  real_moves,    ///< that a close which moves like a split really did
  returns_kind,  ///< simple or log
  risk_free,
  runs,  ///< the store of rehearsals
  short_histories,
  split,
  subset_size,  ///< how many assets are picked
  store,
  table_files,  ///< where tables go as CSV
  tags,
  tail,  ///< the share of the worst periods
  views,
  wealth,
  weights,
  window,
  estimate_window,  ///< of each estimate of a rehearsal
  workbook
};

/// Where something is wrong or worth knowing. What is not known stays empty.
struct INCHTIDE_API Where {
  Where() = default;
  /// In words, where nothing below says it: "covariance", "maximum-sharpe", the option or key of a value.
  Where(std::string words) : what(std::move(words)) {}
  Where(std::string_view words) : what(words) {}
  Where(const char* words) : what(words) {}

  [[nodiscard]] static Where of_asset(std::string code, std::optional<std::chrono::sys_days> on = std::nullopt);
  /// @param text as it is written, where that is not its name
  [[nodiscard]] static Where of_limit(std::string name, std::string text = "");
  /// @param line from 1 on; 0 for the file as a whole
  /// @param column by its name
  /// @param cell what stands there
  [[nodiscard]] static Where in_file(std::string file, std::size_t line = 0, std::string column = "",
                                     std::string cell = "");

  /// The same place, more exactly: a key of the file, a position in a list.
  [[nodiscard]] Where with(std::string words) const;
  [[nodiscard]] bool empty() const;
  /// "prices/KELPFARM.csv, line 12, column close"; "KELPFARM, 2024-03-04".
  [[nodiscard]] std::string text() const;

  std::string what, asset, limit, limit_text, file, column, cell;
  std::optional<std::chrono::sys_days> day;
  std::size_t line = 0;
};

/// A way out: what to change, and the words of a sentence for it, such as "Take a shorter interval".
struct INCHTIDE_API Remedy {
  Remedy(Means how, std::string as_words, std::string to = "")
      : means(how), words(std::move(as_words)), value(std::move(to)) {}
  Remedy(std::string as_words) : words(std::move(as_words)) {}
  Remedy(const char* as_words) : words(as_words) {}

  Means means = Means::none;
  std::string words;
  std::string value;  ///< what to change it to, where that is known: "1q" of an interval
};

/// How the means of a remedy is spelt where the text is read, such as the option or key; empty where it has no name.
using SpeltMeans = std::function<std::string(Means)>;

/// The remedies as one sentence without its full stop; how a means is spelt and its value stand in brackets:
/// "Take a longer interval (estimate.every 1q), or leave it out".
[[nodiscard]] INCHTIDE_API std::string text_of(const std::vector<Remedy>& remedies, const SpeltMeans& spelt = {});

/// Something that is wrong or worth knowing.
struct INCHTIDE_API Notice {
  Notice() = default;
  Notice(std::string sentence) : problem(std::move(sentence)) {}
  Notice(const char* sentence) : problem(sentence) {}
  Notice(Where place, std::string what, std::vector<Remedy> ways_out = {})
      : where(std::move(place)), problem(std::move(what)), remedies(std::move(ways_out)) {}

  /// Whether one of the remedies is this.
  [[nodiscard]] bool offers(Means means) const;
  /// The same told as the reason of something: "Left out: where: problem. Remedies".
  [[nodiscard]] Notice led_by(std::string words) const;
  /// "lead: where: problem. Remedies", each part as far as there is one.
  [[nodiscard]] std::string text(const SpeltMeans& spelt = {}) const;

  std::string lead;  ///< what came of it
  Where where;
  std::string problem;
  std::vector<Remedy> remedies;
};

}  // namespace inchtide
