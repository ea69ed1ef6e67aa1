#include "inchtide/base/jobs.hpp"

#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <bit>
#include <chrono>
#include <condition_variable>
#include <cstring>
#include <exception>
#include <mutex>
#include <thread>
#include <utility>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

static_assert(std::endian::native == std::endian::little, "bytes travel with the least first");

constexpr std::size_t usual_bytes = 256;

template <typename Value>
void put(Bytes& bytes, const Value* values, std::size_t count) {
  if (count == 0) return;
  const auto at = bytes.size();
  if (at == 0) bytes.reserve(usual_bytes);
  bytes.resize(at + count * sizeof(Value));
  std::memcpy(bytes.data() + at, values, count * sizeof(Value));
}

constexpr std::size_t most_waiting = 512;  // records between the workers and the one who lands them
/// Who lands sleeps until there are so many, or for so long: to be woken for each costs more than a small piece.
constexpr std::size_t enough_to_wake = 32;
constexpr std::chrono::milliseconds longest_nap{5};

/// Records on their way from the workers to the thread where they land.
class Belt {
 public:
  void put(std::size_t index, Bytes record) {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return waiting_.size() < most_waiting || closed_; });
    waiting_.emplace_back(index, std::move(record));
    if (waiting_.size() == enough_to_wake) changed_.notify_all();
  }

  using Landing = std::vector<std::pair<std::size_t, Bytes>>;

  /// All that wait; none when there are none and none will come.
  Landing take() {
    std::unique_lock lock(mutex_);
    do {
      changed_.wait_for(lock, longest_nap, [&] { return waiting_.size() >= enough_to_wake || finished_; });
    } while (waiting_.empty() && !finished_);
    const bool full = waiting_.size() >= most_waiting;
    auto taken = std::exchange(waiting_, {});
    lock.unlock();
    if (full) changed_.notify_all();
    return taken;
  }

  /// Nothing lands any more.
  void close() {
    const std::lock_guard guard(mutex_);
    closed_ = true;
    changed_.notify_all();
  }

  /// The workers have ended, for this reason if there is one.
  void finish(std::exception_ptr why) {
    const std::lock_guard guard(mutex_);
    finished_ = true;
    failure_ = std::move(why);
    changed_.notify_all();
  }

  [[nodiscard]] bool is_closed() {
    const std::lock_guard guard(mutex_);
    return closed_;
  }

  void rethrow() const {  // after the workers have ended
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  std::mutex mutex_;
  std::condition_variable changed_;
  Landing waiting_;
  bool closed_ = false, finished_ = false;
  std::exception_ptr failure_;
};

}  // namespace

Record recorded(const RunPiece& run, std::size_t index) {
  try {
    return run(index);
  } catch (const Interrupted&) {
    throw;
  } catch (const Error& error) {
    Record record;
    record.failure = error.what();
    return record;
  }
}

Packer& Packer::add(double figure) {
  put(bytes_, &figure, 1);
  return *this;
}

Packer& Packer::add(std::int64_t number) {
  put(bytes_, &number, 1);
  return *this;
}

Packer& Packer::add(std::string_view text) {
  add(std::int64_t(text.size()));
  put(bytes_, text.data(), text.size());
  return *this;
}

Packer& Packer::add(std::span<const double> figures) {
  add(std::int64_t(figures.size()));
  put(bytes_, figures.data(), figures.size());
  return *this;
}

std::span<const std::byte> Unpacker::take(std::size_t count) {
  if (count > rest_.size()) {
    throw InputError("job", fmt::format("its bytes end {} too soon", count - rest_.size()), "Make it anew");
  }
  const auto taken = rest_.first(count);
  rest_ = rest_.subspan(count);
  return taken;
}

std::size_t Unpacker::length(std::size_t size_of_each) {
  const auto count = number();
  if (count < 0 || std::uint64_t(count) > rest_.size() / size_of_each) {
    throw InputError("job", fmt::format("a list of {} in {} bytes", count, rest_.size()), "Make it anew");
  }
  return std::size_t(count);
}

double Unpacker::figure() {
  double figure = 0;
  std::memcpy(&figure, take(sizeof(figure)).data(), sizeof(figure));
  return figure;
}

std::int64_t Unpacker::number() {
  std::int64_t number = 0;
  std::memcpy(&number, take(sizeof(number)).data(), sizeof(number));
  return number;
}

std::string Unpacker::text() {
  const auto letters = take(length(1));
  return {reinterpret_cast<const char*>(letters.data()), letters.size()};
}

std::vector<double> Unpacker::figures() {
  std::vector<double> figures(length(sizeof(double)));
  const auto bytes = take(figures.size() * sizeof(double));
  if (!bytes.empty()) std::memcpy(figures.data(), bytes.data(), bytes.size());
  return figures;
}

Bytes Record::to_bytes() const {
  Packer packer;
  packer.add(figures).add(std::int64_t(numbers.size()));
  for (const auto number : numbers) packer.add(number);
  packer.add(std::int64_t(texts.size()));
  for (const auto& text : texts) packer.add(std::string_view(text));
  return packer.add(std::string_view(failure)).bytes();
}

Record Record::from_bytes(std::span<const std::byte> bytes) {
  Unpacker unpacker(bytes);
  Record record;
  record.figures = unpacker.figures();
  // Their counts are not believed before the entries are there.
  for (auto left = unpacker.number(); left > 0; --left) record.numbers.push_back(unpacker.number());
  for (auto left = unpacker.number(); left > 0; --left) record.texts.push_back(unpacker.text());
  record.failure = unpacker.text();
  if (!unpacker.at_end()) throw InputError("job", "a record's bytes go on after its end", "Make it anew");
  return record;
}

Digest Digest::of(std::span<const std::byte> bytes) {
  const auto hash = XXH3_128bits(bytes.data(), bytes.size());
  return {hash.high64, hash.low64};
}

std::string Digest::text() const {
  return fmt::format("{:016x}{:016x}", high, low);
}

void deal(const Job& job, const OpenJob& open, const LandRecord& land, const Executor& executor, const Watch& watch) {
  const auto run = open(job.inputs);
  Belt belt;
  const auto stop = [&] { return belt.is_closed() || (watch.stop && watch.stop()); };
  const auto piece = [&](std::size_t index) { belt.put(index, recorded(run, index).to_bytes()); };
  std::jthread workers([&] {
    std::exception_ptr failure;
    try {
      executor.each(job.count, piece, {stop, {}});
    } catch (...) {
      failure = std::current_exception();
    }
    belt.finish(failure);
  });
  std::size_t landed = 0;
  try {
    for (auto some = belt.take(); !some.empty(); some = belt.take()) {
      for (const auto& [index, record] : some) {
        land(index, Record::from_bytes(record));
        watch.done(++landed, job.count);
      }
    }
  } catch (...) {
    belt.close();
    throw;
  }
  workers.join();
  belt.rethrow();
}

}  // namespace inchtide
