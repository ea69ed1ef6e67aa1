#pragma once
// What a study that is explored keeps between its calls: files are read once, and an estimate stays while limits
// change.

#include <map>
#include <memory>
#include <mutex>
#include <string>

#include "inchtide/study/basis.hpp"

namespace inchtide::app {

// A universe with what it was made of, less the bars, which are in it.
struct Loaded {
  Sources sources;
  Universe universe;
};

class Kept {
 public:
  // The value of that key, made where there is none. Two calls may make it at once; one of the two is kept.
  std::shared_ptr<const Loaded> loaded(const std::string& key, const std::function<Loaded()>& make) {
    return of(loaded_, key, make);
  }
  std::shared_ptr<const Basis> estimated(const std::string& key, const std::function<Basis()>& make) {
    return of(estimated_, key, make);
  }

 private:
  static constexpr std::size_t most = 4;  // of each; the one that was used longest ago goes

  template <typename Value>
  struct Entry {
    std::shared_ptr<const Value> value;
    std::size_t used = 0;
  };
  template <typename Value>
  using Entries = std::map<std::string, Entry<Value>>;

  template <typename Value>
  std::shared_ptr<const Value> of(Entries<Value>& entries, const std::string& key, const std::function<Value()>& make);

  std::mutex mutex_;
  std::size_t uses_ = 0;
  Entries<Loaded> loaded_;
  Entries<Basis> estimated_;
};

// What of a mandate's text a universe is made by, and an estimate of it.
struct KeptKeys {
  std::string universe, estimate;
};
KeptKeys keys_of(const std::string& mandate_text, const std::string& file);

}  // namespace inchtide::app
