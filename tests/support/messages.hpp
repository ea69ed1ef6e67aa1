#pragma once
// What a call complains of.

#include <string>
#include <vector>

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

inline std::vector<std::string> texts_of(const std::vector<Notice>& notices) {
  std::vector<std::string> texts;
  for (const auto& notice : notices) texts.push_back(notice.text());
  return texts;
}

}  // namespace inchtide::test
