#include "inchtide/cluster/cluster.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <functional>

#include "cluster/messages.hpp"
#include "cluster/piece_workers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/version.hpp"

namespace inchtide {
namespace {

constexpr std::chrono::microseconds short_nap{200}, long_nap{500};
/// Work that is dealt at once, in seconds.
constexpr double least_work = 0.1, most_work = 1;
/// A rank is dealt this part of what all that are left would have each.
constexpr double parts_each = 8;

/// One rank as the first one knows it.
struct Worker {
  std::string machine;
  int threads = 1;
  std::size_t dealt = 0;  // and not landed
  bool ended = false;
};

Bytes packed(const std::vector<DonePiece>& pieces) {
  Packer packer;
  for (const auto& piece : pieces) {
    packer.add(std::int64_t(piece.index)).add(piece.seconds);
    packer.add(std::string_view(reinterpret_cast<const char*>(piece.record.data()), piece.record.size()));
  }
  return packer.bytes();
}

std::vector<DonePiece> done_pieces(const Bytes& bytes) {
  std::vector<DonePiece> pieces;
  for (Unpacker unpacker(bytes); !unpacker.at_end();) {
    DonePiece piece{std::size_t(unpacker.number())};
    piece.seconds = unpacker.figure();
    const auto record = unpacker.text();
    const auto* data = reinterpret_cast<const std::byte*>(record.data());
    piece.record.assign(data, data + record.size());
    pieces.push_back(std::move(piece));
  }
  return pieces;
}

std::string text_in(const Message& message) {
  return Unpacker(message.bytes).text();
}

/// What the first rank does.
class Dealing {
 public:
  Dealing(Cluster& cluster, const Job& job, const std::vector<std::size_t>& pieces, const LandRecord& land,
          const Watch& watch, std::function<void()> all_know)
      : cluster_(cluster), job_(job), pieces_(pieces), land_(land), watch_(watch), all_know_(std::move(all_know)) {}

  /// All ranks know each other, have the inputs, and could open them.
  void begin() {
    workers_.resize(std::size_t(cluster_.ranks()));
    workers_[0].machine = cluster_.machine();
    std::string refusal;
    for (int k = 1; k < cluster_.ranks(); ++k) {
      const auto hello = receive(k);
      Unpacker unpacker(hello.bytes);
      auto& worker = workers_[std::size_t(k)];
      worker.machine = unpacker.text();
      const auto its_version = unpacker.text();
      worker.threads = int(unpacker.number());
      if (its_version == version) continue;
      refusal =
          fmt::format("{} has version {}, and {} has {}", worker.machine, its_version, cluster_.machine(), version);
    }
    for (int k = 1; k < cluster_.ranks(); ++k) send(k, Saying::welcome, packed_text(refusal));
    if (!refusal.empty()) all_know_();
    if (!refusal.empty()) throw InputError("cluster", refusal, "Install the same version on all");
    auto inputs = job_.inputs;
    broadcast(inputs);
  }

  /// @param own why this rank could not open the job, if it couldn't
  void check_opened(const std::string& own) {
    std::string refusal = own;
    for (int k = 1; k < cluster_.ranks(); ++k) {
      const auto said = receive(k);
      Unpacker unpacker(said.bytes);
      const auto digest = unpacker.text(), failure = unpacker.text();
      const auto& machine = workers_[std::size_t(k)].machine;
      if (digest != job_.digest.text()) refusal = fmt::format("the inputs that {} has are others", machine);
      if (!failure.empty()) refusal = fmt::format("{} cannot open the job: {}", machine, failure);
    }
    for (int k = 1; k < cluster_.ranks(); ++k) send(k, Saying::welcome, packed_text(refusal));
    if (!refusal.empty()) all_know_();
    if (!refusal.empty()) throw InputError("cluster", refusal, "See what differs there");
  }

  void deal_all(PieceWorkers& own) {
    workers_[0].threads = own.threads();
    for (const auto& worker : workers_) all_threads_ += worker.threads;
    try {
      while (landed_ < pieces_.size()) {
        if (!stopped_ && watch_.stop && watch_.stop()) stop(own);
        if (stopped_ && is_quiet()) break;
        for (std::size_t k = 0; k < workers_.size(); ++k) deal_to(k, own);
        take_in(own);
      }
    } catch (...) {
      end_all();
      throw;
    }
    end_all();
    if (stopped_ && landed_ < pieces_.size()) throw Interrupted("cluster", "stopped");
  }

 private:
  [[nodiscard]] bool is_quiet() const {
    return std::ranges::all_of(workers_, [](const Worker& w) { return w.dealt == 0; });
  }

  /// Nothing more is dealt, and what a rank has not begun it gives up.
  void stop(PieceWorkers& own) {
    stopped_ = true;
    workers_[0].dealt -= own.give_up().size();
    for (int k = 1; k < cluster_.ranks(); ++k) send(k, Saying::work, {});
  }

  /// How many pieces are dealt to a rank at once.
  [[nodiscard]] std::size_t chunk(const Worker& worker) const {
    const double left = double(pieces_.size() - next_), share = double(worker.threads) / all_threads_;
    if (timed_ == 0) return std::size_t(worker.threads);
    const double each = std::max(1e-9, seconds_ / timed_), threads = worker.threads;
    const double fair = left / parts_each * share;
    return std::size_t(std::ceil(std::clamp(fair, least_work / each * threads, most_work / each * threads)));
  }

  /// A rank that will soon have nothing to do gets more.
  void deal_to(std::size_t k, PieceWorkers& own) {
    auto& worker = workers_[k];
    if (stopped_ || next_ == pieces_.size() || worker.dealt > std::size_t(worker.threads)) return;
    // The last pieces go to whoever is free, and not in stock.
    const auto left = pieces_.size() - next_;
    auto count = std::min(chunk(worker), left);
    if (double(left) <= 2 * all_threads_) count = std::min(count, std::size_t(worker.threads));
    const std::vector<std::size_t> some(pieces_.begin() + std::ptrdiff_t(next_),
                                        pieces_.begin() + std::ptrdiff_t(next_ + count));
    next_ += count;
    worker.dealt += count;
    if (k == 0) {
      own.add(some);
      return;
    }
    Packer packer;
    for (const auto index : some) packer.add(std::int64_t(index));
    send(int(k), Saying::work, packer.bytes());
  }

  void take_in(PieceWorkers& own) {
    bool any = false;
    while (auto message = receive_if_any()) {
      any = true;
      auto& worker = workers_[std::size_t(message->from)];
      if (message->saying == Saying::end) fail_for(worker, text_in(*message));
      if (message->saying == Saying::opened) {  // given up
        worker.dealt -= std::size_t(Unpacker(message->bytes).number());
      } else {
        land(worker, done_pieces(message->bytes));
      }
    }
    land(workers_[0], own.take(any ? std::chrono::microseconds(0) : short_nap));
  }

  [[noreturn]] static void fail_for(Worker& worker, const std::string& why) {
    worker.ended = true;
    throw OutsideFailure(worker.machine, "a piece of work failed there: " + why, "See what its machine lacks");
  }

  void land(Worker& worker, const std::vector<DonePiece>& pieces) {
    for (const auto& piece : pieces) {
      --worker.dealt;
      seconds_ += piece.seconds;
      timed_ += 1;
      land_(piece.index, Record::from_bytes(piece.record));
      watch_.done(++landed_, pieces_.size());
    }
  }

  /// All others are told that there is no more, and have heard it.
  void end_all() {
    for (int k = 1; k < cluster_.ranks(); ++k) {
      if (!workers_[std::size_t(k)].ended) send(k, Saying::end, {});
    }
    for (int k = 1; k < cluster_.ranks(); ++k) {
      while (!workers_[std::size_t(k)].ended) workers_[std::size_t(k)].ended = receive(k).saying == Saying::end;
    }
    all_know_();
  }

  Cluster& cluster_;
  const Job& job_;
  const std::vector<std::size_t>& pieces_;
  const LandRecord& land_;
  const Watch& watch_;
  std::function<void()> all_know_;  // where this rank is, to the end
  std::vector<Worker> workers_;
  double all_threads_ = 0, seconds_ = 0, timed_ = 0;
  std::size_t next_ = 0, landed_ = 0;
  bool stopped_ = false;
};

/// Opens a job, or says why not.
RunPiece opened(const OpenJob& open, std::span<const std::byte> inputs, std::string& failure) {
  try {
    return open(inputs);
  } catch (const std::exception& error) {
    failure = error.what();
    return {};
  }
}

/// Does what it is dealt until there is no more.
void work_on(PieceWorkers& workers) {
  for (bool ended = false; !ended;) {
    while (auto message = receive_if_any(0)) {
      if (message->saying == Saying::end) {
        ended = true;
        break;
      }
      std::vector<std::size_t> indices;
      for (Unpacker unpacker(message->bytes); !unpacker.at_end();) indices.push_back(std::size_t(unpacker.number()));
      if (indices.empty()) {
        send(0, Saying::opened, Packer().add(std::int64_t(workers.give_up().size())).bytes());
      } else {
        workers.add(indices);
      }
    }
    if (const auto done = workers.take(long_nap); !done.empty() && !ended) send(0, Saying::done, packed(done));
  }
  send(0, Saying::end, packed_text(""));
}

}  // namespace

Cluster::Cluster() {
  int provided = 0;
  MPI_Init_thread(nullptr, nullptr, MPI_THREAD_FUNNELED, &provided);
  if (provided < MPI_THREAD_FUNNELED) {
    throw OutsideFailure("cluster", "this MPI knows no threads", "Install Open MPI as Debian has it");
  }
  MPI_Comm_rank(MPI_COMM_WORLD, &rank_);
  MPI_Comm_size(MPI_COMM_WORLD, &ranks_);
  char name[MPI_MAX_PROCESSOR_NAME];
  int length = 0;
  MPI_Get_processor_name(name, &length);
  machine_.assign(name, std::size_t(length));
}

Cluster::~Cluster() {
  if (!orderly_ && ranks_ > 1) MPI_Abort(MPI_COMM_WORLD, 1);  // the others would wait for ever
  MPI_Finalize();
}

/// Within it a rank that fails without a word to the others takes them with it.
class AmongRanks {
 public:
  explicit AmongRanks(Cluster& cluster) : cluster_(cluster) { cluster_.orderly_ = false; }
  void leave() { cluster_.orderly_ = true; }

 private:
  Cluster& cluster_;
};

void deal_over(Cluster& cluster, const Job& job, const std::vector<std::size_t>& pieces, const OpenJob& open,
               const LandRecord& land, int threads, const Watch& watch) {
  AmongRanks among(cluster);
  Dealing dealing(cluster, job, pieces, land, watch, [&] { among.leave(); });
  dealing.begin();
  std::string failure;
  auto run = opened(open, job.inputs, failure);
  dealing.check_opened(failure);
  PieceWorkers own(std::move(run), Executor(threads).threads());
  dealing.deal_all(own);
}

void work_for(Cluster& cluster, const OpenJob& open, int threads) {
  AmongRanks among(cluster);
  const int own_threads = Executor(threads).threads();
  send(0, Saying::hello,
       Packer()
           .add(std::string_view(cluster.machine()))
           .add(std::string_view(version))
           .add(std::int64_t(own_threads))
           .bytes());
  const auto refused = [&](const Message& message) {
    const auto why = text_in(message);
    if (why.empty()) return;
    among.leave();
    throw InputError("cluster", why, "See what differs there");
  };
  refused(receive(0));
  Bytes inputs;
  broadcast(inputs);
  std::string failure;
  auto run = opened(open, inputs, failure);
  send(0, Saying::opened,
       Packer().add(std::string_view(Digest::of(inputs).text())).add(std::string_view(failure)).bytes());
  refused(receive(0));
  PieceWorkers workers(std::move(run), own_threads);
  try {
    work_on(workers);
    among.leave();
  } catch (const std::exception& error) {
    send(0, Saying::end, packed_text(error.what()));
    among.leave();
    throw;
  }
}

}  // namespace inchtide
