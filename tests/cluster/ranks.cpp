// Under mpirun: pieces of work on the ranks of a cluster, for the tests that start it.
//
//     ranks squares N          records of N pieces, a line each on the first rank
//     ranks sleep N SECONDS    N pieces that sleep; the first rank says how long all took
//     ranks compute N          N pieces that compute; the same
//     ranks carry N BYTES      N pieces, and inputs of so many bytes; the same
//     ranks fail N             a piece that throws what is no error of ours
//     ranks refuse             one rank cannot open the job

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <map>
#include <stdexcept>
#include <string>
#include <thread>

#include "inchtide/base/errors.hpp"
#include "inchtide/cluster/cluster.hpp"

using namespace inchtide;

namespace {

double computed(std::size_t piece) {
  double x = double(piece) + 1;
  for (int k = 0; k < 4'000'000; ++k) x = std::sqrt(x * x + 1e-9);
  return x;
}

RunPiece piece_of(const std::string& kind, double seconds) {
  return [kind, seconds](std::size_t piece) {
    if (kind == "sleep") std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
    if (kind == "fail" && piece == 3) throw std::runtime_error("a lamp went out");
    if (kind == "squares" && piece % 7 == 3) throw InputError("piece", "this one has no square", "Leave it out");
    const double figure = kind == "compute" ? computed(piece) : std::sqrt(double(piece)) / 3;
    return Record{{figure}, {std::int64_t(piece * piece)}};
  };
}

int run(const std::string& kind, std::size_t count, double seconds) {
  Cluster cluster;
  Packer packer;
  packer.add(std::string_view(kind)).add(seconds);
  if (kind == "carry") packer.add(std::string_view(std::string(std::size_t(seconds), 'x')));
  const Job job(packer.bytes(), count);
  const OpenJob open = [&](std::span<const std::byte> inputs) {
    if (kind == "refuse" && cluster.rank() == 1) throw InputError("job", "there is no lamp oil here", "Get some");
    Unpacker unpacker(inputs);
    const auto its_kind = unpacker.text();
    return piece_of(its_kind, unpacker.figure());
  };
  try {
    if (!cluster.is_first()) {
      work_for(cluster, open, 1);
      return 0;
    }
    std::vector<std::size_t> pieces(count);
    for (std::size_t k = 0; k < count; ++k) pieces[k] = k;
    std::map<std::size_t, Record> landed;
    const auto begin = std::chrono::steady_clock::now();
    deal_over(
        cluster, job, pieces, open, [&](std::size_t k, const Record& record) { landed[k] = record; }, 1);
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    if (kind != "squares") {
      fmt::print("{} {:.6f}\n", landed.size(), took);
      return 0;
    }
    for (const auto& [k, record] : landed) {
      fmt::print("{} {}\n", k, record.failure.empty() ? fmt::format("{:a}", record.figures[0]) : record.failure);
    }
  } catch (const std::exception& error) {
    if (cluster.is_first()) fmt::print(stderr, "{}\n", error.what());
    return 3;
  }
  return 0;
}

}  // namespace

int main(int count, char** arguments) {
  const std::string kind = count > 1 ? arguments[1] : "squares";
  return run(kind, count > 2 ? std::size_t(std::atoi(arguments[2])) : 1, count > 3 ? std::atof(arguments[3]) : 0);
}
