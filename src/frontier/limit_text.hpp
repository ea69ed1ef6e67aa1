#pragma once
// What is known of limits by their text alone.

#include <string_view>

#include "inchtide/frontier/limits.hpp"

namespace inchtide {

// Where a limit is told of in messages.
Where limit_place(std::string_view text, std::string_view name);

// The word of a kind of limit that is written as a single word: "turnover".
const char* word_of(Limit::Kind kind);

// The ends that a limit of a single word sets are those that it may set.
// @throws InputError
void check_keyword(const Limit& limit, const Where& where);

}  // namespace inchtide
