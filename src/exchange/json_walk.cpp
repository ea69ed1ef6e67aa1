#include "json_walk.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/text.hpp"
#include "json_text.hpp"

namespace inchtide::exchange {
namespace {

using nlohmann::json;

std::vector<std::string> tokens_of(const std::string& pointer, const Where& where) {
  try {
    json::json_pointer place(pointer);
    std::vector<std::string> tokens;
    for (; !place.empty(); place.pop_back()) tokens.insert(tokens.begin(), place.back());
    return tokens;
  } catch (const json::exception&) {
    throw InputError(where, fmt::format("'{}' is not a JSON Pointer", excerpt(pointer)), "Write it as /series/close");
  }
}

/// The parser's events, as items at places.
class Walk : public json::json_sax_t {
 public:
  Walk(const Where& where, std::vector<JsonWanted>& wanted) : where_(where), wanted_(wanted) {
    for (auto& one : wanted) {
      tokens_.push_back(tokens_of(one.pointer, where));
      one.found = one.is_list = false;
      one.items = 0;
    }
  }

  bool null() override { return item({JsonItem::Kind::null, 0, {}}); }
  bool boolean(bool value) override { return item({JsonItem::Kind::boolean, value ? 1.0 : 0.0, {}}); }
  bool number_integer(std::int64_t value) override { return whole(value); }
  bool number_unsigned(std::uint64_t value) override { return whole(value); }
  bool number_float(double value, const std::string& digits) override {
    return item({JsonItem::Kind::number, value, digits});
  }
  bool string(std::string& value) override { return item({JsonItem::Kind::text, 0, value}); }
  bool binary(json::binary_t&) override { return false; }

  bool start_object(std::size_t) override { return open({JsonItem::Kind::object, 0, {}}); }
  bool key(std::string& name) override {
    levels_.back().key = name;
    return true;
  }
  bool end_object() override { return close(); }
  bool start_array(std::size_t) override { return open({JsonItem::Kind::list, 0, {}}); }
  bool end_array() override { return close(); }

  bool parse_error(std::size_t, const std::string&, const json::exception&) override { return false; }

 private:
  struct Level {
    bool list = false;
    std::size_t next = 0;                 // of a list
    std::string key{};                    // of an object
    std::vector<std::size_t> collects{};  // the wanted ones whose items these are
  };

  template <typename Number>
  bool whole(Number value) {
    const auto digits = std::to_string(value);
    return item({JsonItem::Kind::whole, double(value), digits});
  }

  bool is_here(const std::vector<std::string>& tokens) const {
    if (tokens.size() != levels_.size()) return false;
    for (std::size_t l = 0; l < tokens.size(); ++l) {
      if (tokens[l] != (levels_[l].list ? std::to_string(levels_[l].next) : levels_[l].key)) return false;
    }
    return true;
  }

  /// Tells those that want it; the items of a list that is opened here are those of the ones that want it.
  /// @return which they are
  std::vector<std::size_t> tell(const JsonItem& item) {
    std::vector<std::size_t> collects;
    for (std::size_t w = 0; w < wanted_.size(); ++w) {
      if (!is_here(tokens_[w])) continue;
      auto& one = wanted_[w];
      one.found = true;
      one.is_list = item.kind == JsonItem::Kind::list;
      one.items = 0;
      if (one.take_value) one.take_value(item);
      if (one.is_list) collects.push_back(w);
    }
    if (levels_.empty()) return collects;
    for (auto w : levels_.back().collects) {
      auto& one = wanted_[w];
      if (one.take) one.take(item, one.items);
      ++one.items;
    }
    return collects;
  }

  bool item(const JsonItem& item) {
    tell(item);
    if (!levels_.empty()) ++levels_.back().next;
    return true;
  }

  bool open(const JsonItem& item) {
    auto collects = tell(item);
    if (levels_.size() == deepest_level) {
      throw InputError(where_, fmt::format("the answer is nested more than {} levels deep", deepest_level),
                       "Check url and path of the provider in the mandate");
    }
    levels_.push_back({item.kind == JsonItem::Kind::list, 0, {}, std::move(collects)});
    return true;
  }

  bool close() {
    levels_.pop_back();
    if (!levels_.empty()) ++levels_.back().next;
    return true;
  }

  const Where& where_;
  std::vector<JsonWanted>& wanted_;
  std::vector<std::vector<std::string>> tokens_;
  std::vector<Level> levels_;
};

}  // namespace

std::string JsonItem::shown() const {
  switch (kind) {
    case Kind::null: return "null";
    case Kind::boolean: return number != 0 ? "true" : "false";
    case Kind::whole:
    case Kind::number: return std::string(text);
    case Kind::text: return fmt::format("\"{}\"", excerpt(std::string(text)));
    case Kind::list: return "a list";
    case Kind::object: return "an object";
  }
  return {};
}

void walk_json(std::string_view text, const Where& where, std::vector<JsonWanted>& wanted) {
  Walk walk(where, wanted);
  if (json::sax_parse(text, &walk)) return;
  const auto start = text.substr(0, text.find_first_of("\r\n"));
  throw InputError(where, fmt::format("the answer is not JSON: '{}'", excerpt(start, 60)),
                   "Check url, path and answer of the provider in the mandate");
}

}  // namespace inchtide::exchange
