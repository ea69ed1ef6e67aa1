#pragma once
/// Jobs dealt to many machines by Open MPI: one rank a machine, with threads of its own.
///
/// The first rank has the job, deals its pieces, computes some itself and lands all records, on its main thread; the
/// others get the inputs once, by a broadcast, and touch no file. Each record that comes back asks for more. A rank
/// whose version or inputs differ is refused by the name of its machine. A machine that dies ends the job, as MPI has
/// it: what had landed is the caller's to keep, and the rest to deal again.
///
/// A program for all ranks makes a `Cluster` first, and then calls `deal_over` on the first rank and `work_for` on the
/// others, with the same `OpenJob`. (Messages are all made by the thread that made the `Cluster`.)
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Cluster cluster;  // started without mpirun it is one rank
/// const Job job(Packer().add(2.5).bytes(), 4);
/// const OpenJob open = [](std::span<const std::byte> inputs) -> RunPiece {
///   const double factor = Unpacker(inputs).figure();
///   return [factor](std::size_t piece) { return Record{{factor * double(piece)}}; };
/// };
/// if (cluster.is_first()) {
///   double sum = 0;
///   deal_over(cluster, job, {0, 1, 2, 3}, open, [&](std::size_t, const Record& one) { sum += one.figures[0]; });
///   assert(sum == 15);
/// } else {
///   work_for(cluster, open);
/// }
/// @endcode

#include <cstddef>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/jobs.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide {

/// This process among those that mpirun started; from its first call to MPI to its last.
class INCHTIDE_API Cluster {
 public:
  /// @throws OutsideFailure where MPI doesn't let its main thread alone do all messages
  Cluster();
  ~Cluster();
  Cluster(const Cluster&) = delete;
  Cluster& operator=(const Cluster&) = delete;

  [[nodiscard]] int rank() const { return rank_; }
  [[nodiscard]] int ranks() const { return ranks_; }
  [[nodiscard]] bool is_first() const { return rank_ == 0; }
  /// The name of this machine.
  [[nodiscard]] const std::string& machine() const { return machine_; }

 private:
  friend class AmongRanks;
  int rank_ = 0, ranks_ = 1;
  bool orderly_ = true;  // whether the others know where this one is
  std::string machine_;
};

/// On the first rank.
/// @param pieces which of the job's, each once
/// @param threads of this rank; 0: as many as there are processors
/// @param watch its stop is asked all along: what was begun lands, nothing more is dealt; its progress is told after
///        each landing
/// @throws Interrupted when stopped
/// @throws InputError for a rank whose version or inputs are others, or that cannot open the job, naming its machine
/// @throws what landing throws, and what a piece throws that is no `Error`, here or elsewhere
INCHTIDE_API void deal_over(Cluster& cluster, const Job& job, const std::vector<std::size_t>& pieces,
                            const OpenJob& open, const LandRecord& land, int threads = 0, const Watch& watch = {});

/// On every other rank: returns when the first one has no more for it.
/// @throws InputError where it was refused, or the job cannot be opened
INCHTIDE_API void work_for(Cluster& cluster, const OpenJob& open, int threads = 0);

}  // namespace inchtide
