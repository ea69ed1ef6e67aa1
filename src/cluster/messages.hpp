#pragma once
// Messages between ranks, as bytes.

#include <mpi.h>

#include <optional>

#include "inchtide/base/jobs.hpp"

namespace inchtide {

// What a message is. A rank says hello, is welcomed or refused, gets the inputs, and says what it made of them; then
// there is work one way and what is done the other, until there is none and both say so.
enum class Saying : int { hello = 1, welcome, opened, work, done, end };

struct Message {
  int from = 0;
  Saying saying{};
  Bytes bytes{};
};

void send(int to, Saying saying, const Bytes& bytes);
// Waits, with naps, for one from anybody or from one rank.
Message receive(int from = MPI_ANY_SOURCE);
// One that is there already.
std::optional<Message> receive_if_any(int from = MPI_ANY_SOURCE);
// The same bytes on all ranks: the first one's.
void broadcast(Bytes& bytes);

Bytes packed_text(std::string_view text);

}  // namespace inchtide
