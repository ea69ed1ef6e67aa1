#pragma once
/// Work that is dealt out in pieces, to threads here or to other machines.
///
/// A job is its inputs, as bytes with a digest, and how many pieces it has. Whoever works on it opens the inputs once
/// and runs pieces by index; each gives a flat record, which travels as bytes too and lands on one thread. So a piece
/// knows nothing but the inputs and its index, and its record is the same whatever did it, and when.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// const Job job(Packer().add(2.5).bytes(), 4);  // a factor, and four pieces
/// const auto open = [](std::span<const std::byte> inputs) -> RunPiece {
///   const double factor = Unpacker(inputs).figure();
///   return [factor](std::size_t piece) { return Record{{factor * double(piece)}}; };
/// };
/// double sum = 0;
/// deal(job, open, [&](std::size_t, const Record& record) { sum += record.figures[0]; });
/// assert(sum == 15);
/// @endcode

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide {

using Bytes = std::vector<std::byte>;

/// Puts values one after another: figures and numbers in 8 bytes each, the least first; lists and texts after their
/// length.
class INCHTIDE_API Packer {
 public:
  Packer& add(double figure);
  Packer& add(std::int64_t number);
  Packer& add(std::string_view text);
  Packer& add(std::span<const double> figures);

  [[nodiscard]] const Bytes& bytes() const { return bytes_; }

 private:
  Bytes bytes_;
};

/// Takes them out again, in the same order.
class INCHTIDE_API Unpacker {
 public:
  explicit Unpacker(std::span<const std::byte> bytes) : rest_(bytes) {}

  /// Each @throws InputError when the bytes end too soon
  double figure();
  std::int64_t number();
  std::string text();
  std::vector<double> figures();

  [[nodiscard]] bool at_end() const { return rest_.empty(); }

 private:
  std::span<const std::byte> take(std::size_t count);
  std::size_t length(std::size_t size_of_each);

  std::span<const std::byte> rest_;
};

/// What a piece comes to. A failed one says why, and holds nothing else.
struct INCHTIDE_API Record {
  std::vector<double> figures = {};
  std::vector<std::int64_t> numbers = {};
  std::vector<std::string> texts = {};
  std::string failure = {};

  [[nodiscard]] Bytes to_bytes() const;
  /// @throws InputError when the bytes are no record
  [[nodiscard]] static Record from_bytes(std::span<const std::byte> bytes);

  bool operator==(const Record&) const = default;
};

/// 128 bits that tell inputs apart: XXH3 of Collet 2020, which no accident makes equal (it does not withstand malice).
struct INCHTIDE_API Digest {
  std::uint64_t high = 0, low = 0;

  [[nodiscard]] static Digest of(std::span<const std::byte> bytes);
  /// 32 hexadecimal digits.
  [[nodiscard]] std::string text() const;

  bool operator==(const Digest&) const = default;
};

/// What is to be done: by whom is not said.
struct INCHTIDE_API Job {
  Job(Bytes all_inputs, std::size_t pieces)
      : inputs(std::move(all_inputs)), digest(Digest::of(inputs)), count(pieces) {}

  Bytes inputs;
  Digest digest;
  std::size_t count;
};

/// The record of a piece, by its index; called from several threads.
using RunPiece = std::function<Record(std::size_t index)>;
/// What a piece comes to: its record, or a failed one where it throws an `Error`.
/// @throws what else it throws, and Interrupted
[[nodiscard]] INCHTIDE_API Record recorded(const RunPiece& run, std::size_t index);

/// Reads the inputs of a job, once for each machine.
using OpenJob = std::function<RunPiece(std::span<const std::byte> inputs)>;
/// Takes a record in.
using LandRecord = std::function<void(std::size_t index, const Record& record)>;

/// Deals the pieces of a job to threads. Records go through their bytes, as they would between machines, and land one
/// at a time on the thread that calls this, in the order in which they are done. A piece that throws an `Error` lands
/// as a failed record and costs no other.
/// @param watch its stop is asked before each piece; its progress told after each landing
/// @throws Interrupted when stopped; what was begun has landed
/// @throws what landing throws, and what a piece throws that is no `Error`: no further piece is begun then
INCHTIDE_API void deal(const Job& job, const OpenJob& open, const LandRecord& land,
                       const Executor& executor = Executor(), const Watch& watch = {});

}  // namespace inchtide
