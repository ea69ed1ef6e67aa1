#pragma once
// Values that are made once and shared by those who need them at about the same time.

#include <algorithm>
#include <cstddef>
#include <deque>
#include <exception>
#include <memory>
#include <mutex>
#include <optional>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/jobs.hpp"

namespace inchtide {

// What is made once, by whoever comes first, and looked for by its key.
template <typename Made>
struct Slot {
  explicit Slot(Bytes which) : key(std::move(which)) {}

  Bytes key;
  std::once_flag once;
  std::optional<Made> made;
  std::exception_ptr failure;
};

// The latest of them; from several threads at once.
template <typename Made>
class Slots {
 public:
  explicit Slots(std::size_t most) : most_(most) {}

  // @param make emplaces it
  // @throws what making it threw
  template <typename Make>
  std::shared_ptr<const Made> find(Bytes key, Make make) {
    const auto slot = slot_for(std::move(key));
    std::call_once(slot->once, [&] {
      try {
        make(slot->made);
      } catch (const InputError&) {
        slot->failure = std::current_exception();
      } catch (const UncertifiedAnswer&) {
        slot->failure = std::current_exception();
      }
    });
    if (slot->failure) std::rethrow_exception(slot->failure);
    return {slot, &*slot->made};
  }

 private:
  std::shared_ptr<Slot<Made>> slot_for(Bytes key) {
    const std::lock_guard guard(mutex_);
    const auto found = std::ranges::find_if(slots_, [&](const auto& slot) { return slot->key == key; });
    if (found != slots_.end()) return *found;
    slots_.push_front(std::make_shared<Slot<Made>>(std::move(key)));
    if (slots_.size() > most_) slots_.pop_back();
    return slots_.front();
  }

  std::size_t most_;
  std::mutex mutex_;
  std::deque<std::shared_ptr<Slot<Made>>> slots_;  // the latest first
};

}  // namespace inchtide
