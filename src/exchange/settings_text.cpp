#include "inchtide/exchange/settings_text.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

#include "exchange/toml.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide::exchange {
namespace {

/// Where a line and a column of the parser's, both from 1 and in letters, stand among the bytes.
std::size_t offset_of(const std::string& text, toml::source_position at) {
  std::size_t offset = 0;
  for (toml::source_index line = 1; line < at.line; ++line) offset = text.find('\n', offset) + 1;
  for (toml::source_index column = 1; column < at.column && offset < text.size(); ++column) {
    ++offset;
    while (offset < text.size() && (static_cast<unsigned char>(text[offset]) & 0xC0U) == 0x80U) ++offset;
  }
  return offset;
}

/// From the end of a line on; the end of the text, where it is the last.
std::size_t after_line(const std::string& text, std::size_t within) {
  const auto end = text.find('\n', within);
  return end == std::string::npos ? text.size() : end + 1;
}

std::string quoted(const std::string& text) {
  std::ostringstream stream;
  stream << toml::toml_formatter(toml::value<std::string>(text), toml::format_flags::quote_dates_and_times);
  return stream.str();
}

std::string literal(const SettingChange& change) {
  const auto& texts = *change.texts;
  if (change.kind == ValueKind::list) {
    std::vector<std::string> items;
    for (const auto& text : texts) items.push_back(quoted(text));
    return fmt::format("[{}]", fmt::join(items, ", "));
  }
  const auto wrong = [&](const char* wanted) {
    throw InputError(fmt::format("{}", fmt::join(change.path, ".")),
                     fmt::format("'{}' is not {}", texts.empty() ? "" : texts[0], wanted), "Give one");
  };
  if (texts.size() != 1) wrong("one value");
  const auto& text = texts[0];
  const auto* end = text.data() + text.size();
  double number = 0;
  long long whole = 0;
  switch (change.kind) {
    case ValueKind::number: {
      const auto read = std::from_chars(text.data(), end, number);
      if (read.ec != std::errc() || read.ptr != end || !std::isfinite(number)) wrong("a number");
      return fmt::format("{}", number);
    }
    case ValueKind::whole: {
      const auto read = std::from_chars(text.data(), end, whole);
      if (read.ec != std::errc() || read.ptr != end) wrong("a whole number");
      return fmt::format("{}", whole);
    }
    case ValueKind::yes_or_no:
      if (text != "true" && text != "false") wrong("true or false");
      return text;
    case ValueKind::day:
      if (!parse_day(text)) wrong("a day such as 2023-01-01");
      return text;
    default: return quoted(text);
  }
}

std::string key_text(const std::string& key) {
  const bool bare = !key.empty() && std::ranges::all_of(key, [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '-';
  });
  return bare ? key : quoted(key);
}

std::string path_text(const std::vector<std::string>& path) {
  std::vector<std::string> keys;
  for (const auto& key : path) keys.push_back(key_text(key));
  return fmt::format("{}", fmt::join(keys, "."));
}

const toml::node* node_at(const toml::table& root, const std::vector<std::string>& path) {
  const toml::node* node = &root;
  for (const auto& key : path) {
    const auto* table = node->as_table();
    node = table == nullptr ? nullptr : table->get(key);
    if (node == nullptr) return nullptr;
  }
  return node;
}

/// Whether a table begins with a header of its own, [like.this], at its line; else what it holds says that it is there.
bool has_header(const std::string& text, const toml::node& table, const std::vector<std::string>& path) {
  if (table.as_table()->is_inline()) return false;
  const auto begin = offset_of(text, {table.source().begin.line, 1});
  const auto line = text.substr(begin, after_line(text, begin) - begin);
  try {
    const auto alone = toml::parse(line);
    const auto* found = node_at(alone, path);
    return found != nullptr && found->as_table() != nullptr && found->as_table()->empty();
  } catch (const toml::parse_error&) {
    return false;
  }
}

/// A new key: last in its table, or in a new one at the end.
std::string added(const std::string& text, const toml::table& root, const SettingChange& change) {
  const std::vector<std::string> above(change.path.begin(), change.path.end() - 1);
  const auto line = fmt::format("{} = {}\n", key_text(change.path.back()), literal(change));
  const auto* node = node_at(root, above);
  const bool whole = text.empty() || text.back() == '\n';
  if (node == nullptr || node->as_table() == nullptr || !has_header(text, *node, above)) {
    return fmt::format("{}{}\n[{}]\n{}", text, whole ? "" : "\n", path_text(above), line);
  }
  auto last = node->source().begin;
  for (const auto& [key, value] : *node->as_table()) {
    const bool own = value.as_table() == nullptr || value.as_table()->is_inline();
    if (own && value.source().end.line > last.line) last = value.source().end;
  }
  const auto at = after_line(text, offset_of(text, {last.line, 1}));
  const bool ended = at > 0 && text[at - 1] == '\n';
  return text.substr(0, at) + (ended ? "" : "\n") + line + text.substr(at);
}

/// Less the line, or lines, of a key. Nothing where something else stands there.
std::optional<std::string> without(const std::string& text, const toml::key& key, const toml::node& value) {
  const auto begin = offset_of(text, {key.source().begin.line, 1});
  const auto before = text.substr(begin, offset_of(text, key.source().begin) - begin);
  const auto behind = offset_of(text, value.source().end), end = after_line(text, behind);
  const auto rest = text.find_first_not_of(" \t\r\n", behind);
  const bool alone = rest == std::string::npos || rest >= end || text[rest] == '#';
  if (before.find_first_not_of(" \t") != std::string::npos || !alone) return std::nullopt;
  return text.substr(0, begin) + text.substr(end);
}

/// All settings but one, as texts; those of tables that are empty without it stay away.
std::vector<std::string> others(const std::vector<FileSetting>& settings, const std::vector<std::string>& path) {
  std::vector<std::string> all;
  for (const auto& one : settings) {
    if (one.kind == ValueKind::table || one.path == path) continue;
    all.push_back(fmt::format("{}\n{}\n{}", fmt::join(one.path, "\n"), int(one.kind), fmt::join(one.texts, "\n")));
  }
  std::ranges::sort(all);
  return all;
}

}  // namespace

std::string with_change(const std::string& text, const SettingChange& change, const std::string& file) {
  const auto root = toml_in(text, file);
  const auto& path = change.path;
  const auto stuck = [&] {
    return InputError(Where::in_file(file).with(path_text(path)), "it cannot be changed alone in the way it is written",
                      "Change it in the file itself");
  };
  if (path.size() < 2) throw stuck();
  std::string changed = text;
  const auto* above = node_at(root, {path.begin(), path.end() - 1});
  const auto* table = above == nullptr ? nullptr : above->as_table();
  const auto found = table == nullptr ? toml::table::const_iterator() : table->find(path.back());
  const bool there = table != nullptr && found != table->end();
  if (there && change.texts) {
    const auto& source = found->second.source();
    const auto begin = offset_of(text, source.begin), end = offset_of(text, source.end);
    if (found->second.is_table()) throw stuck();
    changed = text.substr(0, begin) + literal(change) + text.substr(end);
  } else if (there) {
    const auto less = without(text, found->first, found->second);
    if (!less) throw stuck();
    changed = *less;
  } else if (change.texts) {
    changed = added(text, root, change);
  }
  // Whatever the file looks like, nothing else in it has changed.
  const auto before = settings_in(text, file);
  try {
    const auto after = settings_in(changed, file);
    const bool is_there = std::ranges::find(after, path, &FileSetting::path) != after.end();
    if (is_there != change.texts.has_value() || others(before, path) != others(after, path)) throw stuck();
  } catch (const InputError&) {
    throw stuck();
  }
  return changed;
}

}  // namespace inchtide::exchange
