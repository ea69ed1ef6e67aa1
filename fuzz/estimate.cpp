// Any bytes as estimate files.

#include "inchtide/exchange/estimate_file.hpp"
#include "input.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  return inchtide::fuzz::attempt([&] { (void)inchtide::exchange::read_estimate(inchtide::fuzz::file_of(data, size)); });
}
