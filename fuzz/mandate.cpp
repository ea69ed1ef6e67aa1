// Any bytes as mandates.

#include "inchtide/mandate/mandate.hpp"
#include "input.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  return inchtide::fuzz::attempt([&] { (void)inchtide::read_mandate(inchtide::fuzz::file_of(data, size)); });
}
