#pragma once
// JSON files of ours, read field by field.

#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <utility>

#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/errors.hpp"
#include "json_text.hpp"

namespace inchtide::exchange {

// The whole file.
// @param remedy what is to be in it
// @throws InputError naming the file, and the line where it is not JSON
nlohmann::json read_json_file(const std::filesystem::path& path, const std::string& remedy);

// The fields of one object of a file, read with messages that name them.
class Fields {
 public:
  Fields(std::string file, const nlohmann::json& object) : file_(std::move(file)), object_(object) {}

  InputError error(const std::string& field, const std::string& problem, const std::string& remedy) const {
    return {where(field), problem, remedy};
  }

  Where where(const std::string& field) const { return Where::in_file(file_).with("field " + field); }

  // Whether it is there at all, null included.
  bool has(const std::string& field) const { return object_.contains(field); }

  const nlohmann::json* find(const std::string& field) const {
    const auto found = object_.find(field);
    return found == object_.end() || found->is_null() ? nullptr : &*found;
  }

  const nlohmann::json& list(const std::string& field) const {
    const auto* value = find(field);
    if (value == nullptr) throw error(field, "it is missing", "Give it, as this library writes it");
    if (!value->is_array()) throw error(field, "it is not a list", "Give a list");
    return *value;
  }

  double number(const std::string& field, const nlohmann::json& value) const {
    if (!value.is_number()) throw error(field, fmt::format("{} is not a number", shown_json(value)), "Give a figure");
    return value.get<double>();
  }

  Eigen::VectorXd vector(const std::string& field) const {
    const auto& values = list(field);
    Eigen::VectorXd result(Eigen::Index(values.size()));
    for (std::size_t i = 0; i < values.size(); ++i) result[Eigen::Index(i)] = number(field, values[i]);
    return result;
  }

  Eigen::MatrixXd matrix(const std::string& field) const {
    const auto& rows = list(field);
    Eigen::MatrixXd result;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (!rows[i].is_array()) throw error(field, fmt::format("row {} is not a list", i + 1), "Give a list of lists");
      if (i == 0) result.resize(Eigen::Index(rows.size()), Eigen::Index(rows[0].size()));
      if (Eigen::Index(rows[i].size()) != result.cols()) {
        throw error(field, fmt::format("row {} has {} figures, row 1 has {}", i + 1, rows[i].size(), result.cols()),
                    "Give rows of the same length");
      }
      for (std::size_t j = 0; j < rows[i].size(); ++j) {
        result(Eigen::Index(i), Eigen::Index(j)) = number(field, rows[i][j]);
      }
    }
    return result;
  }

  template <typename Value>
  void maybe(const std::string& field, Value& target) const {
    if (const auto* value = find(field)) {
      try {
        value->get_to(target);
      } catch (const nlohmann::json::exception&) {
        throw error(field, "the value is of another kind", "See the guide for what it holds");
      }
    }
  }

  void maybe_day(const std::string& field, std::optional<Day>& target) const {
    std::string text;
    maybe(field, text);
    if (!text.empty()) target = day_from(text, fmt::format("{}, field {}", file_, field));
  }

 private:
  std::string file_;
  const nlohmann::json& object_;  // outlives this
};

}  // namespace inchtide::exchange
