#pragma once
// What a call complains of.

#include <string>

#include "inchtide/base/errors.hpp"

namespace inchtide::test {

template <typename Action>
std::string message_of(Action action) {
  try {
    action();
  } catch (const Error& error) {
    return error.what();
  }
  return "nothing was thrown";
}

}  // namespace inchtide::test
