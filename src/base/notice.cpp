#include "inchtide/base/notice.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "inchtide/base/day.hpp"

namespace inchtide {

Where Where::of_asset(std::string code, std::optional<std::chrono::sys_days> on) {
  Where where;
  where.asset = std::move(code);
  where.day = on;
  return where;
}

Where Where::of_limit(std::string name, std::string text) {
  Where where;
  where.limit = std::move(name);
  where.limit_text = std::move(text);
  return where;
}

Where Where::in_file(std::string file, std::size_t line, std::string column, std::string cell) {
  Where where;
  where.file = std::move(file);
  where.line = line;
  where.column = std::move(column);
  where.cell = std::move(cell);
  return where;
}

Where Where::with(std::string words) const {
  auto inner = *this;
  inner.what = inner.what.empty() ? std::move(words) : fmt::format("{}, {}", inner.what, words);
  return inner;
}

bool Where::empty() const {
  return text().empty();
}

std::string Where::text() const {
  std::vector<std::string> parts;
  const auto add = [&](const char* before, const std::string& part, const std::string& after = "") {
    if (!part.empty()) parts.push_back(before + part + after);
  };
  add("", file);
  if (line > 0) add("line ", std::to_string(line));
  add("column ", column);
  add("", what);
  if (limit_text.empty() || limit_text == limit) {
    add("limit '", limit, "'");
  } else {
    add("limit ", limit, fmt::format(" '{}'", limit_text));
  }
  add("", asset);
  if (day) add("", to_string(*day));
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::string text_of(const std::vector<Remedy>& remedies, const SpeltMeans& spelt) {
  std::string text;
  for (std::size_t k = 0; k < remedies.size(); ++k) {
    if (k > 0) text += k + 1 == remedies.size() ? ", or " : ", ";
    text += remedies[k].words;
    auto inside = spelt && remedies[k].means != Means::none ? spelt(remedies[k].means) : std::string();
    if (!inside.empty() && !remedies[k].value.empty()) inside += " ";
    inside += remedies[k].value;
    if (!inside.empty()) text += fmt::format(" ({})", inside);
  }
  return text;
}

bool Notice::offers(Means means) const {
  return std::ranges::find(remedies, means, &Remedy::means) != remedies.end();
}

Notice Notice::led_by(std::string words) const {
  auto led = *this;
  led.lead = lead.empty() ? std::move(words) : fmt::format("{}: {}", words, lead);
  return led;
}

std::string Notice::text(const SpeltMeans& spelt) const {
  std::string text;
  for (const auto& part : {lead, where.text()}) text += part.empty() ? "" : part + ": ";
  text += problem;
  const auto out = text_of(remedies, spelt);
  return out.empty() ? text : text + ". " + out;
}

}  // namespace inchtide
