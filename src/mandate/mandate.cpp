#include "inchtide/mandate/mandate.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/settings_file.hpp"
#include "inchtide/mandate/declarations.hpp"

namespace inchtide {
namespace {

using exchange::FileSetting, exchange::ValueKind;
using Path = std::vector<std::string>;

Path parts_of(const std::string& key) {
  Path parts{""};
  for (char c : key) {
    if (c == '.') {
      parts.emplace_back();
    } else {
      parts.back() += c;
    }
  }
  return parts;
}

/// A declared key, part by part.
struct Declared {
  const Declaration* declaration;
  Path parts;
};

const std::vector<Declared>& declared() {
  static const auto all = [] {
    std::vector<Declared> list;
    for (const auto& one : declarations()) {
      if (!one.key.empty()) list.push_back({&one, parts_of(one.key)});
    }
    return list;
  }();
  return all;
}

/// Whether the first `count` parts of a declared key fit a path.
bool fits(const Path& parts, const Path& path, std::size_t count) {
  if (parts.size() < count || path.size() < count) return false;
  for (std::size_t k = 0; k < count; ++k) {
    if (parts[k] != "*" && parts[k] != path[k]) return false;
  }
  return true;
}

/// What stands for the stars.
Path names_in(const Path& parts, const Path& path) {
  Path names;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    if (parts[k] == "*") names.push_back(path[k]);
  }
  return names;
}

const Declared* find(const Path& path) {
  const auto found = std::ranges::find_if(
      declared(), [&](const Declared& d) { return d.parts.size() == path.size() && fits(d.parts, path, path.size()); });
  return found == declared().end() ? nullptr : &*found;
}

bool leads_on(const Path& path) {
  return std::ranges::any_of(
      declared(), [&](const Declared& d) { return d.parts.size() > path.size() && fits(d.parts, path, path.size()); });
}

[[noreturn]] void refuse_key(const FileSetting& setting) {
  const auto above = setting.path.size() - 1;
  std::vector<std::string> known;
  for (const auto& [declaration, parts] : declared()) {
    if (parts.size() <= above || !fits(parts, setting.path, above) || parts[above] == "*") continue;
    if (std::ranges::find(known, parts[above]) == known.end()) known.push_back(parts[above]);
  }
  throw InputError(setting.where, fmt::format("'{}' is not a key that it knows", setting.path.back()),
                   did_you_mean(setting.path.back(), known));
}

struct Form {
  std::vector<ValueKind> kinds;
  const char* words;
};

Form form_of(Takes takes) {
  switch (takes) {
    case Takes::list: return {{ValueKind::list, ValueKind::text}, "a list of texts"};
    case Takes::values:
      return {{ValueKind::list, ValueKind::text, ValueKind::number, ValueKind::whole, ValueKind::day}, "a list"};
    case Takes::number: return {{ValueKind::number, ValueKind::whole}, "a number"};
    case Takes::amount:
      return {{ValueKind::number, ValueKind::whole, ValueKind::text}, "a number, or a text such as \"40m\""};
    case Takes::whole: return {{ValueKind::whole}, "a whole number"};
    case Takes::yes_or_no: return {{ValueKind::yes_or_no}, "true or false"};
    case Takes::day: return {{ValueKind::day, ValueKind::text}, "a day such as 2023-01-01"};
    case Takes::percent: return {{ValueKind::text}, "a percentage in quotes, such as \"2%\""};
    case Takes::text:
    case Takes::word:
    case Takes::path: break;
  }
  return {{ValueKind::text}, "a text in quotes"};
}

/// Refuses keys that are not declared, and values of another kind.
void check(const FileSetting& setting) {
  const auto wrong_kind = [&](const std::string& wanted) {
    throw InputError(setting.where, "the value is of another kind", "Give " + wanted);
  };
  const auto* one = find(setting.path);
  if (setting.kind == ValueKind::table) {
    if (leads_on(setting.path)) return;
    if (one == nullptr) refuse_key(setting);
    wrong_kind(form_of(one->declaration->takes).words);
  }
  if (one == nullptr) {
    if (leads_on(setting.path)) wrong_kind(fmt::format("a table, [{}]", setting.key()));
    refuse_key(setting);
  }
  const auto form = form_of(one->declaration->takes);
  if (std::ranges::find(form.kinds, setting.kind) == form.kinds.end()) wrong_kind(form.words);
  if (!setting.only_texts && one->declaration->takes == Takes::list) wrong_kind(form.words);
}

/// Refuses tables that lack what they need.
void check_needed(const std::vector<FileSetting>& settings) {
  for (const auto& table : settings) {
    if (table.kind != ValueKind::table) continue;
    for (const auto& [declaration, parts] : declared()) {
      const bool holds = declaration->needed && parts.size() == table.path.size() + 1;
      if (!holds || !fits(parts, table.path, table.path.size())) continue;
      auto needed = table.path;
      needed.push_back(parts.back());
      if (std::ranges::find(settings, needed, &FileSetting::path) != settings.end()) continue;
      throw InputError(
          Where::in_file(table.where.file, table.where.line).with(fmt::format("{}.{}", table.key(), parts.back())),
          "the key is missing", fmt::format("Give {} = \"{}\"", parts.back(), declaration->example));
    }
  }
}

/// Refuses what is there twice but for capitals: codes, tags and names are the same in either.
void check_spelled_once(const std::vector<FileSetting>& settings) {
  std::map<Path, const FileSetting*> seen;
  for (const auto& setting : settings) {
    auto path = setting.path;
    for (auto& part : path) part = lower_name(part);
    const auto [before, is_new] = seen.emplace(std::move(path), &setting);
    if (is_new) continue;
    throw InputError(
        setting.where,
        fmt::format("it is there already as '{}'{}", before->second->key(),
                    before->second->where.line > 0 ? fmt::format(", in line {}", before->second->where.line) : ""),
        "Capitals make no difference: keep one");
  }
}

/// Tables in the order of the file, grids after what they may name; within one, its keys in the order of the
/// declarations.
std::vector<const FileSetting*> in_order(const std::vector<FileSetting>& settings) {
  std::map<Path, std::size_t> table_order;
  std::vector<const FileSetting*> leaves;
  const auto above = [](const FileSetting* setting) { return Path(setting->path.begin(), setting->path.end() - 1); };
  for (const auto& setting : settings) {
    if (setting.kind == ValueKind::table) continue;
    leaves.push_back(&setting);
    table_order.emplace(above(&setting), table_order.size());
  }
  std::ranges::stable_sort(leaves, {}, [&](const FileSetting* setting) {
    const bool last = setting->path.front() == "grid" || setting->path.front() == "cells";
    return std::tuple(last, table_order.at(above(setting)), find(setting->path) - declared().data());
  });
  return leaves;
}

}  // namespace

const Declaration* declaration_at(const std::vector<std::string>& path) {
  const auto* found = find(path);
  return found == nullptr ? nullptr : found->declaration;
}

Mandate read_mandate(const std::filesystem::path& path) {
  return mandate_in(exchange::read_text_file(path), path);
}

Mandate mandate_in(const std::string& text, const std::filesystem::path& path) {
  const auto settings = exchange::settings_in(text, path.string());
  for (const auto& setting : settings) check(setting);
  check_needed(settings);
  check_spelled_once(settings);
  Mandate mandate;
  for (const auto& setting : settings) {  // a provider is one even where nothing is said of it
    const bool provider = setting.path.size() == 2 && setting.path[0] == "providers";
    if (provider) mandate.providers.push_back(exchange::Provider{setting.path[1]});
  }
  for (const auto* setting : in_order(settings)) {
    const auto& [declaration, parts] = *find(setting->path);
    declaration->take(mandate, {setting->texts, names_in(parts, setting->path), setting->where, path.parent_path()});
  }
  for (const auto& provider : mandate.providers) provider.check();
  for (const auto& flow : mandate.settings.flows) {
    flow.check(std::ranges::find(settings, Path{"flows", flow.name}, &FileSetting::path)->where);
  }
  return mandate;
}

}  // namespace inchtide
