#include "inchtide/base/jobs.hpp"

#include <gmock/gmock.h>

#include <cmath>
#include <cstring>
#include <limits>
#include <stdexcept>
#include <thread>

#include "inchtide/base/draws.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

using testing::HasSubstr;

std::span<const std::byte> bytes_of(const std::string& text) {
  return std::as_bytes(std::span(text.data(), text.size()));
}

TEST(Bytes, ComeOutAsTheyWentIn) {
  const std::vector<double> list{1.5, -0.0, std::numeric_limits<double>::denorm_min()};
  Packer packer;
  packer.add(0.1).add(std::int64_t(-7)).add("Hollin \u00e9").add(list).add("").add(std::span<const double>());
  Unpacker unpacker(packer.bytes());
  EXPECT_EQ(unpacker.figure(), 0.1);
  EXPECT_EQ(unpacker.number(), -7);
  EXPECT_EQ(unpacker.text(), "Hollin \u00e9");
  const auto again = unpacker.figures();
  EXPECT_EQ(std::memcmp(again.data(), list.data(), 3 * sizeof(double)), 0) << "to the last bit";
  EXPECT_EQ(unpacker.text(), "");
  EXPECT_TRUE(unpacker.figures().empty());
  EXPECT_TRUE(unpacker.at_end());
}

TEST(Bytes, TheLeastByteComesFirst) {
  const auto bytes = Packer().add(std::int64_t(258)).bytes();
  ASSERT_EQ(bytes.size(), 8u);
  EXPECT_EQ(bytes[0], std::byte{2});
  EXPECT_EQ(bytes[1], std::byte{1});
}

TEST(Record, ComesBackFromItsBytesAndNotFromOthers) {
  const Record record{{0.25, std::nan("")}, {3, -4}, {"yearly", ""}, ""};
  const auto bytes = record.to_bytes();
  const auto again = Record::from_bytes(bytes);
  EXPECT_EQ(again.figures[0], 0.25);
  EXPECT_TRUE(std::isnan(again.figures[1]));
  EXPECT_EQ(again.numbers, record.numbers);
  EXPECT_EQ(again.texts, record.texts);
  for (std::size_t cut = 0; cut < bytes.size(); ++cut) {
    EXPECT_THROW((void)Record::from_bytes(std::span(bytes).first(cut)), InputError) << cut;
  }
  auto longer = bytes;
  longer.push_back(std::byte{0});
  EXPECT_THROW((void)Record::from_bytes(longer), InputError);
}

TEST(Record, BytesThatAreNoneNeverTakeMemoryThatIsNotThere) {
  // Counts from damaged bytes, up to 2^63: refused, or read, but never believed.
  for (std::uint64_t round = 0; round < 2000; ++round) {
    RandomDraw random(11, round);
    auto bytes = Record{{1, 2, 3}, {4, 5}, {"some text"}, "why"}.to_bytes();
    for (int k = 0; k < 3; ++k) bytes[random.below(bytes.size())] = std::byte(random.next() & 255);
    try {
      (void)Record::from_bytes(bytes);
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), HasSubstr("job: "));
    }
  }
}

TEST(Digest, IsTheOneOfItsAuthors) {
  // XXH128 of nothing and of "inch tide", as the xxhsum program of the hash's own package prints them.
  EXPECT_EQ(Digest::of({}).text(), "99aa06d3014798d86001c324468d497f");
  EXPECT_EQ(Digest::of(bytes_of("inch tide")).text(), "192052c3d16aeaac0ec7a6c510992f1c");
  EXPECT_FALSE(Digest::of(bytes_of("inch tide ")) == Digest::of(bytes_of("inch tide")));
}

/// Pieces that draw random numbers around a mean that the inputs hold.
RunPiece open_draws(std::span<const std::byte> inputs) {
  const double mean = Unpacker(inputs).figure();
  return [mean](std::size_t piece) {
    RandomDraw random(1, piece);
    return Record{{mean + random.uniform(), random.uniform()}, {std::int64_t(piece)}};
  };
}

TEST(Deal, LandsEachPieceOnceOnTheCallersThreadTheSameForAnyThreads) {
  const Job job(Packer().add(0.08).bytes(), 3000);
  const auto all = [&](int threads) {
    std::vector<Record> landed(job.count);
    const auto here = std::this_thread::get_id();
    deal(
        job, open_draws,
        [&](std::size_t index, const Record& record) {
          EXPECT_EQ(std::this_thread::get_id(), here);
          EXPECT_TRUE(landed[index].figures.empty()) << "twice";
          landed[index] = record;
        },
        Executor(threads));
    return landed;
  };
  const auto one = all(1);
  for (std::size_t i = 0; i < one.size(); ++i) ASSERT_EQ(one[i].numbers, std::vector{std::int64_t(i)});
  EXPECT_TRUE(all(2) == one);
  EXPECT_TRUE(all(0) == one);
}

TEST(Deal, APieceThatFailsLandsWithItsReason) {
  std::vector<std::string> failures(20);
  const auto open = [](std::span<const std::byte>) -> RunPiece {
    return [](std::size_t piece) {
      if (piece % 7 == 3) throw InputError("costs", "they could eat all wealth", "Lower the rates");
      return Record{{1}};
    };
  };
  deal(Job({}, 20), open, [&](std::size_t index, const Record& record) {
    failures[index] = record.failure;
    EXPECT_EQ(record.figures.empty(), !record.failure.empty());
  });
  for (std::size_t i = 0; i < failures.size(); ++i) {
    EXPECT_EQ(failures[i], i % 7 == 3 ? "costs: they could eat all wealth. Lower the rates" : "") << i;
  }
}

TEST(Deal, AFaultOfThePieceEndsIt) {
  const auto open = [](std::span<const std::byte>) -> RunPiece {
    return [](std::size_t piece) -> Record {
      if (piece == 5) throw std::logic_error("a fault");
      return {};
    };
  };
  for (int threads : {1, 2}) {
    EXPECT_THROW(deal(
                     Job({}, 5000), open, [](std::size_t, const Record&) {}, Executor(threads)),
                 std::logic_error);
  }
}

TEST(Deal, WhatLandingThrowsEndsIt) {
  for (int threads : {1, 2}) {
    int landed = 0;
    const auto land = [&](std::size_t, const Record&) {
      if (++landed == 10) throw OutsideFailure("runs.store", "the disk is full");
    };
    EXPECT_THROW(deal(Job(Packer().add(0.0).bytes(), 100000), open_draws, land, Executor(threads)), OutsideFailure);
    EXPECT_EQ(landed, 10);
  }
}

TEST(Deal, StopsWhenAskedAndWhatWasBegunHasLanded) {
  for (int threads : {1, 2}) {
    std::atomic<int> run = 0;
    int landed = 0;
    std::size_t told = 0;
    const auto open = [&](std::span<const std::byte>) -> RunPiece {
      return [&](std::size_t) {
        ++run;
        return Record{};
      };
    };
    const Watch watch{[&] { return run >= 50; },
                      [&](std::size_t done, std::size_t all, const std::string&) {
                        EXPECT_EQ(all, 100000u);
                        EXPECT_EQ(done, ++told);
                      }};
    EXPECT_THROW(deal(
                     Job({}, 100000), open, [&](std::size_t, const Record&) { ++landed; }, Executor(threads), watch),
                 Interrupted);
    EXPECT_EQ(landed, run);
    EXPECT_EQ(told, std::size_t(landed));
    EXPECT_LT(landed, 60);
  }
}

TEST(Deal, ASlowLanderHoldsTheWorkersBack) {
  std::atomic<int> run = 0;
  int landed = 0, most_ahead = 0;
  const auto open = [&](std::span<const std::byte>) -> RunPiece {
    return [&](std::size_t) {
      ++run;
      return Record{};
    };
  };
  deal(
      Job({}, 5000), open,
      [&](std::size_t, const Record&) {
        if (landed == 0) std::this_thread::sleep_for(std::chrono::milliseconds(100));
        most_ahead = std::max(most_ahead, run - ++landed);
      },
      Executor(2));
  EXPECT_EQ(landed, 5000);
  EXPECT_LE(most_ahead, 1024 + 3);
}

TEST(Deal, NothingToDoIsDone) {
  deal(
      Job({}, 0), [](std::span<const std::byte>) -> RunPiece { return {}; },
      [](std::size_t, const Record&) { FAIL(); });
}

}  // namespace
}  // namespace inchtide
