// Any bytes as answers of a provider.

#include "inchtide/exchange/provider.hpp"
#include "input.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const inchtide::exchange::Provider provider = [] {
    inchtide::exchange::Provider made{"pier"};
    made.days = "/s/days";
    made.fields[std::size_t(inchtide::PriceField::close)] = "/s/close";
    return made;
  }();
  const std::string body(reinterpret_cast<const char*>(data), size);
  return inchtide::fuzz::attempt([&] { (void)inchtide::exchange::bars_from_answer(provider, "A", body); });
}
