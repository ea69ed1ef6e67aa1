#include "cluster/messages.hpp"

#include <algorithm>
#include <chrono>
#include <thread>

namespace inchtide {
namespace {

/// How long a rank that has nothing to do sleeps before it looks for messages again.
constexpr std::chrono::microseconds nap{500};
/// Bytes of one broadcast: a count in MPI is an int.
constexpr std::size_t most_at_once = std::size_t(1) << 28;

}  // namespace

void send(int to, Saying saying, const Bytes& bytes) {
  MPI_Send(bytes.data(), int(bytes.size()), MPI_BYTE, to, int(saying), MPI_COMM_WORLD);
}

std::optional<Message> receive_if_any(int from) {
  int there = 0;
  MPI_Status status;
  MPI_Iprobe(from, MPI_ANY_TAG, MPI_COMM_WORLD, &there, &status);
  if (there == 0) return std::nullopt;
  int count = 0;
  MPI_Get_count(&status, MPI_BYTE, &count);
  Message message{status.MPI_SOURCE, Saying(status.MPI_TAG), Bytes(std::size_t(count))};
  MPI_Recv(message.bytes.data(), count, MPI_BYTE, status.MPI_SOURCE, status.MPI_TAG, MPI_COMM_WORLD, MPI_STATUS_IGNORE);
  return message;
}

Message receive(int from) {
  for (;;) {
    if (auto message = receive_if_any(from)) return *std::move(message);
    std::this_thread::sleep_for(nap);
  }
}

void broadcast(Bytes& bytes) {
  auto size = std::uint64_t(bytes.size());
  MPI_Bcast(&size, 1, MPI_UINT64_T, 0, MPI_COMM_WORLD);
  bytes.resize(std::size_t(size));
  for (std::size_t at = 0; at < bytes.size(); at += most_at_once) {
    MPI_Bcast(bytes.data() + at, int(std::min(most_at_once, bytes.size() - at)), MPI_BYTE, 0, MPI_COMM_WORLD);
  }
}

Bytes packed_text(std::string_view text) {
  return Packer().add(text).bytes();
}

}  // namespace inchtide
