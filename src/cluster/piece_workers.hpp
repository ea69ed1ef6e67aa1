#pragma once
// Threads that compute pieces of a job while another thread does the talking.

#include <condition_variable>
#include <cstddef>
#include <deque>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

#include "inchtide/base/jobs.hpp"

namespace inchtide {

struct DonePiece {
  std::size_t index = 0;
  Bytes record{};
  double seconds = 0;
};

class PieceWorkers {
 public:
  PieceWorkers(RunPiece run, int threads);
  // Pieces that were not begun are given up.
  ~PieceWorkers();
  PieceWorkers(const PieceWorkers&) = delete;
  PieceWorkers& operator=(const PieceWorkers&) = delete;

  void add(const std::vector<std::size_t>& indices);
  // Those not begun are given up; returns them.
  std::vector<std::size_t> give_up();
  // What is done since it was asked last; waits for something for up to `patience`.
  // @throws what a piece threw that is no `Error`
  std::vector<DonePiece> take(std::chrono::microseconds patience);
  [[nodiscard]] int threads() const { return int(threads_.size()); }

 private:
  void work();

  RunPiece run_;
  std::mutex mutex_;
  std::condition_variable more_, done_;
  std::deque<std::size_t> waiting_;
  std::vector<DonePiece> finished_;
  std::exception_ptr failure_;
  bool closed_ = false;
  std::vector<std::jthread> threads_;
};

}  // namespace inchtide
