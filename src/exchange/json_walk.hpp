#pragma once
// One walk through JSON of any size, which keeps nothing but what it is asked for.

#include <cstddef>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/notice.hpp"

namespace inchtide::exchange {

// An item on the way: a scalar, or that a list or an object begins.
struct JsonItem {
  enum class Kind { null, boolean, whole, number, text, list, object };
  Kind kind = Kind::null;
  double number = 0;
  std::string_view text;  // of a text itself, of a number as its digits

  bool is_number() const { return kind == Kind::whole || kind == Kind::number; }
  // As a message shows it.
  std::string shown() const;
};

// What is looked for in a document: the value at a JSON Pointer or, of an array there, its items.
struct JsonWanted {
  std::string pointer;
  // Each item with its position; of a name that comes twice the last counts, and position 0 comes again.
  std::function<void(const JsonItem& item, std::size_t position)> take{};
  std::function<void(const JsonItem& value)> take_value{};

  // Found by the walk:
  bool found = false, is_list = false;
  std::size_t items = 0;
};

// @param where for messages
// @throws InputError for text that is no JSON or nested deeper than `deepest_level`, and for what isn't a pointer
void walk_json(std::string_view text, const Where& where, std::vector<JsonWanted>& wanted);

}  // namespace inchtide::exchange
