#include "cluster/piece_workers.hpp"

#include <chrono>
#include <utility>

namespace inchtide {

PieceWorkers::PieceWorkers(RunPiece run, int threads) : run_(std::move(run)) {
  for (int k = 0; k < threads; ++k) {
    threads_.emplace_back([this] { work(); });
  }
}

PieceWorkers::~PieceWorkers() {
  {
    const std::lock_guard guard(mutex_);
    closed_ = true;
  }
  more_.notify_all();
}

void PieceWorkers::add(const std::vector<std::size_t>& indices) {
  {
    const std::lock_guard guard(mutex_);
    waiting_.insert(waiting_.end(), indices.begin(), indices.end());
  }
  more_.notify_all();
}

std::vector<std::size_t> PieceWorkers::give_up() {
  const std::lock_guard guard(mutex_);
  std::vector<std::size_t> left(waiting_.begin(), waiting_.end());
  waiting_.clear();
  return left;
}

std::vector<DonePiece> PieceWorkers::take(std::chrono::microseconds patience) {
  std::unique_lock lock(mutex_);
  done_.wait_for(lock, patience, [&] { return !finished_.empty() || failure_; });
  if (failure_) std::rethrow_exception(failure_);
  return std::exchange(finished_, {});
}

void PieceWorkers::work() {
  using Clock = std::chrono::steady_clock;
  std::unique_lock lock(mutex_);
  for (;;) {
    more_.wait(lock, [&] { return closed_ || !waiting_.empty(); });
    if (closed_) return;
    const auto index = waiting_.front();
    waiting_.pop_front();
    lock.unlock();
    DonePiece done{index};
    std::exception_ptr failure;
    try {
      const auto begin = Clock::now();
      done.record = recorded(run_, index).to_bytes();
      done.seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    } catch (...) {
      failure = std::current_exception();
    }
    lock.lock();
    if (failure) {
      failure_ = failure;
    } else {
      finished_.push_back(std::move(done));
    }
    done_.notify_all();
  }
}

}  // namespace inchtide
