#pragma once
// Values of a study as bytes and back: for digests, for stores and for other machines.

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "inchtide/base/jobs.hpp"
#include "study/fields.hpp"

namespace inchtide {

template <typename T>
inline constexpr bool is_optional = false;
template <typename T>
inline constexpr bool is_optional<std::optional<T>> = true;
template <typename T>
inline constexpr bool is_list = false;
template <typename T>
inline constexpr bool is_list<std::vector<T>> = true;
template <typename T>
inline constexpr bool is_map = false;
template <typename K, typename T>
inline constexpr bool is_map<std::map<K, T>> = true;

template <typename T>
concept Whole = std::is_enum_v<T> || std::integral<T>;

class Packing {
 public:
  template <typename T>
  Packing& add(const T& value) {
    if constexpr (Whole<T>) {
      packer_.add(std::int64_t(value));
    } else if constexpr (std::same_as<T, double>) {
      packer_.add(value);
    } else if constexpr (std::same_as<T, std::string>) {
      packer_.add(std::string_view(value));
    } else if constexpr (std::same_as<T, std::vector<double>>) {
      packer_.add(std::span<const double>(value));
    } else if constexpr (std::same_as<T, Eigen::VectorXd>) {
      packer_.add(std::span<const double>(value.data(), std::size_t(value.size())));
    } else if constexpr (std::same_as<T, Day>) {
      packer_.add(std::int64_t(value.time_since_epoch().count()));
    } else if constexpr (std::same_as<T, Interval>) {
      packer_.add(std::int64_t(value.count())).add(std::int64_t(value.unit()));
    } else if constexpr (is_optional<T>) {
      packer_.add(std::int64_t(value.has_value()));
      if (value) add(*value);
    } else if constexpr (is_list<T> || is_map<T> || std::same_as<T, DayList>) {
      packer_.add(std::int64_t(value.size()));
      for (const auto& one : value) add(one);
    } else if constexpr (requires { std::tuple_size<T>::value; }) {  // pairs and arrays
      std::apply([&](const auto&... each) { (add(each), ...); }, value);
    } else {
      std::apply([&](const auto&... each) { (add(each), ...); }, fields(value));
    }
    return *this;
  }

  [[nodiscard]] const Bytes& bytes() const { return packer_.bytes(); }

 private:
  Packer packer_;
};

class Unpacking {
 public:
  explicit Unpacking(std::span<const std::byte> bytes) : unpacker_(bytes) {}

  // @throws InputError when the bytes are those of something else
  template <typename T>
  Unpacking& take(T& value) {
    if constexpr (Whole<T>) {
      value = T(unpacker_.number());
    } else if constexpr (std::same_as<T, double>) {
      value = unpacker_.figure();
    } else if constexpr (std::same_as<T, std::string>) {
      value = unpacker_.text();
    } else if constexpr (std::same_as<T, std::vector<double>>) {
      value = unpacker_.figures();
    } else if constexpr (std::same_as<T, Eigen::VectorXd>) {
      const auto figures = unpacker_.figures();
      value = Eigen::Map<const Eigen::VectorXd>(figures.data(), Eigen::Index(figures.size()));
    } else if constexpr (std::same_as<T, Day>) {
      value = Day(std::chrono::days(unpacker_.number()));
    } else if constexpr (std::same_as<T, Interval>) {
      const auto count = int(unpacker_.number());
      value = Interval(count, Unit(unpacker_.number()));
    } else if constexpr (is_optional<T>) {
      value.reset();
      if (unpacker_.number() != 0) value = one<typename T::value_type>();
    } else if constexpr (is_list<T> || std::same_as<T, DayList>) {
      value = {};
      // Their count is not believed before the entries are there.
      for (auto left = unpacker_.number(); left > 0; --left) value.push_back(one<typename T::value_type>());
    } else if constexpr (is_map<T>) {
      value.clear();
      for (auto left = unpacker_.number(); left > 0; --left) {
        auto key = one<typename T::key_type>();
        value.emplace(std::move(key), one<typename T::mapped_type>());
      }
    } else if constexpr (requires { std::tuple_size<T>::value; }) {
      std::apply([&](auto&... each) { (take(each), ...); }, value);
    } else {
      std::apply([&](auto&... each) { (take(each), ...); }, fields(value));
    }
    return *this;
  }

  [[nodiscard]] bool at_end() const { return unpacker_.at_end(); }

 private:
  template <typename T>
  T one() {
    if constexpr (std::same_as<T, Remedy>) {
      Remedy value("");
      take(value);
      return value;
    } else {
      T value{};
      take(value);
      return value;
    }
  }

  Unpacker unpacker_;
};

}  // namespace inchtide
