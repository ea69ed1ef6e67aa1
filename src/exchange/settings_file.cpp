#include "inchtide/exchange/settings_file.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <algorithm>

#include "exchange/toml.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

class Collector {
 public:
  explicit Collector(std::string file) : file_(std::move(file)) {}

  void table(const toml::table& table, const std::vector<std::string>& above) {
    std::vector<std::pair<std::string, const toml::node*>> entries;
    for (const auto& [key, node] : table) {
      const auto place = Where::in_file(file_, line_of(node));
      check_name(key.str(), longest_name, above.empty() ? place : place.with(fmt::format("[{}]", dotted(above))));
      entries.emplace_back(std::string(key.str()), &node);
    }
    std::ranges::stable_sort(entries, {}, [](const auto& entry) { return line_of(*entry.second); });
    for (const auto& [key, node] : entries) {
      auto path = above;
      path.push_back(key);
      one(*node, path);
    }
  }

  std::vector<FileSetting> take() { return std::move(all_); }

 private:
  static std::size_t line_of(const toml::node& node) { return node.source().begin.line; }
  static std::string dotted(const std::vector<std::string>& path) { return fmt::format("{}", fmt::join(path, ".")); }

  void one(const toml::node& node, const std::vector<std::string>& path) {
    FileSetting setting{path, ValueKind::table, {}, Where::in_file(file_, line_of(node)).with(dotted(path))};
    if (const auto* inner = node.as_table()) {
      all_.push_back(std::move(setting));
      table(*inner, path);
      return;
    }
    setting.kind = node.is_array() ? ValueKind::list : kind_of(node);
    if (const auto* list = node.as_array()) {
      for (const auto& item : *list) {
        if (item.is_table() || item.is_array()) {
          throw InputError(setting.where, "the value is of another kind", "Give a list of texts");
        }
        setting.only_texts = setting.only_texts && item.is_string();
        setting.texts.push_back(text_of(item, setting.where));
      }
    } else {
      setting.texts = {text_of(node, setting.where)};
    }
    all_.push_back(std::move(setting));
  }

  static ValueKind kind_of(const toml::node& node) {
    if (node.is_integer()) return ValueKind::whole;
    if (node.is_number()) return ValueKind::number;
    if (node.is_boolean()) return ValueKind::yes_or_no;
    return node.is_date() ? ValueKind::day : ValueKind::text;
  }

  static std::string text_of(const toml::node& node, const Where& where) {
    if (const auto* text = node.as_string()) return text->get();
    if (const auto* number = node.as_integer()) return fmt::format("{}", number->get());
    if (const auto* number = node.as_floating_point()) return fmt::format("{}", number->get());
    if (const auto* yes = node.as_boolean()) return yes->get() ? "true" : "false";
    if (const auto* date = node.as_date()) {
      const auto& d = date->get();
      return fmt::format("{:04}-{:02}-{:02}", int(d.year), int(d.month), int(d.day));
    }
    throw InputError(where, "a time of day means nothing here", "Give a day such as 2023-01-01");
  }

  std::string file_;
  std::vector<FileSetting> all_;
};

}  // namespace

std::string FileSetting::key() const {
  return fmt::format("{}", fmt::join(path, "."));
}

std::vector<FileSetting> settings_in(const std::string& text, const std::string& file) {
  Collector collector(file);
  collector.table(toml_in(text, file), {});
  return collector.take();
}

std::vector<FileSetting> read_settings_file(const std::filesystem::path& path) {
  return settings_in(read_text_file(path), path.string());
}

}  // namespace inchtide::exchange
