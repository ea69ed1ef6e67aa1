#include "inchtide/study/grid.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <limits>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/version.hpp"
#include "study/packing.hpp"

namespace inchtide {
namespace {

constexpr std::string_view form_of_inputs = "inchtide inputs 1", form_of_jobs = "inchtide grid 1";

/// Settings that no cell hangs on are as usual, and so are those that a cell has itself.
Settings shared_by_cells(Settings settings) {
  const Settings usual;
  settings.grid.clear();
  settings.schedules.clear();
  settings.aims.clear();
  settings.methods.expected = usual.methods.expected;
  settings.methods.covariance = usual.methods.covariance;
  settings.estimate_over.reset();
  settings.delay = usual.delay;
  settings.split.reset();
  settings.strict = settings.show_current = settings.after_costs = settings.move_inside = false;
  settings.cost_levels = settings.show_log = false;
  settings.mixes.clear();
  settings.rounding.reset();
  settings.room.reset();
  settings.futures = 0;
  settings.ends_below.reset();
  settings.falls_beyond.reset();
  settings.baseline.clear();
  settings.tried = 0;
  return settings;
}

/// Without what says only where they came from.
Sources without_places(Sources sources) {
  for (auto* list : {&sources.current, &sources.implied}) {
    if (*list) (*list)->source.clear();
  }
  if (sources.held) sources.held->source.clear();
  sources.given.clear();  // portfolios that are given are no aims
  for (auto& passed : sources.passed_over) passed.second = {};
  return sources;
}

template <typename Value>
void refuse_twins(const std::vector<Value>& axis, const char* name) {
  std::vector<Bytes> seen;
  for (const auto& value : axis) {
    auto bytes = Packing().add(value).bytes();
    if (std::ranges::find(seen, bytes) != seen.end()) {
      throw InputError("grid", fmt::format("the axis {} has the same value twice: its cells would be the same", name),
                       "Leave one of them out");
    }
    seen.push_back(std::move(bytes));
  }
}

template <typename Value>
bool have_one_in_common(const std::vector<Value>& one, const std::vector<Value>& other) {
  std::vector<Bytes> known;
  for (const auto& value : one) known.push_back(Packing().add(value).bytes());
  return std::ranges::any_of(
      other, [&](const Value& value) { return std::ranges::find(known, Packing().add(value).bytes()) != known.end(); });
}

template <typename Named>
std::vector<Named> without_names(std::vector<Named> list) {
  for (auto& one : list) one.name.clear();
  return list;
}

std::vector<Schedule> schedules_by(const Settings& settings) {
  if (!settings.schedules.empty()) return settings.schedules;
  std::vector<Schedule> usual;
  for (const char* text : {"never", "1m", "1q", "1y"}) usual.push_back(Schedule::parse(text, "schedules"));
  return usual;
}

std::vector<Aim> aims_by(const Settings& settings) {
  if (!settings.aims.empty()) return settings.aims;
  return {{Aim::Kind::minimum_variance, 0}, {Aim::Kind::maximum_sharpe, 0}, {Aim::Kind::equal, 0}};
}

/// An axis without values has those of the study.
GridAxes filled(GridAxes axes, const Settings& settings) {
  if (axes.schedules.empty()) axes.schedules = schedules_by(settings);
  if (axes.cost_levels.empty()) axes.cost_levels = {1};
  if (axes.aims.empty()) axes.aims = aims_by(settings);
  if (axes.estimators.empty()) axes.estimators.emplace_back();
  for (auto& one : axes.estimators) {
    if (!one.expected) one.expected = settings.methods.expected;
    if (!one.covariance) one.covariance = settings.methods.covariance;
    if (one.name.empty()) one.name = one.text();
  }
  if (axes.windows.empty()) axes.windows = {{settings.estimate_over}};
  if (axes.delays.empty()) axes.delays = {settings.delay};
  if (axes.starts.empty()) axes.starts = {split_of(settings)};
  return axes;
}

void check(const GridAxes& axes, const Settings& settings) {
  refuse_twins(without_names(axes.schedules), "schedule");
  refuse_twins(axes.cost_levels, "cost-level");
  refuse_twins(axes.aims, "aim");
  refuse_twins(without_names(axes.estimators), "estimator");
  refuse_twins(axes.windows, "window");
  refuse_twins(axes.delays, "delay");
  refuse_twins(axes.starts, "start");
  const bool other_levels = axes.cost_levels.size() > 1 || axes.cost_levels.front() != 1;
  if (other_levels && settings.costs.empty()) {
    throw InputError("grid", "there are no trading costs whose level could vary",
                     {{Means::costs, "Give some", "10bp"}});
  }
}

std::string text_of(const GridAxes& axes) {
  return axes.name.empty() ? "every combination" : fmt::format("cells '{}'", axes.name);
}

/// A cell that two lists both have would count twice.
void refuse_shared_cells(const GridAxes& one, const GridAxes& other) {
  const bool shared = have_one_in_common(without_names(one.schedules), without_names(other.schedules)) &&
                      have_one_in_common(one.cost_levels, other.cost_levels) &&
                      have_one_in_common(one.aims, other.aims) &&
                      have_one_in_common(without_names(one.estimators), without_names(other.estimators)) &&
                      have_one_in_common(one.windows, other.windows) && have_one_in_common(one.delays, other.delays) &&
                      have_one_in_common(one.starts, other.starts);
  if (!shared) return;
  throw InputError("grid", fmt::format("{} and {} have a cell in common", text_of(one), text_of(other)),
                   "Leave it out of one of them");
}

/// How many values each axis has, the one that varies fastest last.
std::array<std::size_t, 7> counts_of(const GridAxes& axes) {
  return {axes.starts.size(), axes.windows.size(),   axes.estimators.size(), axes.aims.size(),
          axes.delays.size(), axes.schedules.size(), axes.cost_levels.size()};
}

std::size_t product_of(const GridAxes& axes) {
  std::size_t product = 1;
  for (const auto count : counts_of(axes)) {
    if (product > std::numeric_limits<std::size_t>::max() / count) {
      throw InputError("grid", "it has more cells than can be counted", "Leave values out");
    }
    product *= count;
  }
  return product;
}

/// The positions on the axes of the cell with an index.
std::array<std::size_t, 7> positions_in(const GridAxes& axes, std::size_t index) {
  const auto counts = counts_of(axes);
  std::array<std::size_t, 7> at{};
  for (std::size_t k = counts.size(); k-- > 0; index /= counts[k]) at[k] = index % counts[k];
  return at;
}

/// The axes that an index is of; it becomes its index among theirs.
const GridAxes& axes_of(const std::vector<GridAxes>& all, std::size_t& index) {
  for (const auto& axes : all) {
    const auto product = product_of(axes);
    if (index < product) return axes;
    index -= product;
  }
  throw InputError("grid", "it has no such cell", "Give an index below its size");
}

std::string level_text(double level) {
  return fmt::format("{:g} x costs", level);
}

}  // namespace

Grid::Grid(const Sources& sources, const Settings& settings) : settings_(shared_by_cells(settings)) {
  if (settings.grid.empty()) throw InputError("grid", "it has no axes", "Give lists of schedules, aims, ...");
  for (const auto& given : settings.grid) {
    axes_.push_back(filled(given, settings));
    check(axes_.back(), settings);
    for (std::size_t k = 0; k + 1 < axes_.size(); ++k) refuse_shared_cells(axes_[k], axes_.back());
  }
  inputs_ = Packing().add(std::string(form_of_inputs)).add(settings_).add(without_places(sources)).bytes();
  digest_ = Digest::of(inputs_);
}

Grid::Grid(Bytes inputs) : inputs_(std::move(inputs)), digest_(Digest::of(inputs_)) {
  Unpacking unpacking(inputs_);
  std::string form;
  unpacking.take(form);
  if (form != form_of_inputs) {
    throw InputError("inputs of runs", fmt::format("they are '{}', and this version reads '{}'", form, form_of_inputs),
                     "Run them anew");
  }
  unpacking.take(settings_);
}

Bytes Grid::job() const {
  return Packing()
      .add(std::string(form_of_jobs))
      .add(axes_)
      .add(std::string(reinterpret_cast<const char*>(inputs_.data()), inputs_.size()))
      .bytes();
}

Grid Grid::of_job(std::span<const std::byte> bytes) {
  Unpacking unpacking(bytes);
  std::string form, inputs;
  unpacking.take(form);
  if (form != form_of_jobs) {
    throw InputError("grid", fmt::format("it is '{}', and this version reads '{}'", form, form_of_jobs),
                     "Make it anew");
  }
  std::vector<GridAxes> axes;
  unpacking.take(axes).take(inputs);
  const auto* data = reinterpret_cast<const std::byte*>(inputs.data());
  Grid grid(Bytes(data, data + inputs.size()));
  grid.axes_ = std::move(axes);
  return grid;
}

std::size_t Grid::size() const {
  std::size_t size = 0;
  for (const auto& axes : axes_) size += product_of(axes);
  return size;
}

GridCell Grid::cell(std::size_t index) const {
  const auto& axes = axes_of(axes_, index);
  const auto at = positions_in(axes, index);
  return {axes.schedules[at[5]], axes.cost_levels[at[6]], axes.aims[at[3]],  axes.estimators[at[2]],
          axes.windows[at[1]],   axes.delays[at[4]],      axes.starts[at[0]]};
}

std::string Grid::name(std::size_t index) const {
  const auto& axes = axes_of(axes_, index);
  if (!axes.name.empty()) return axes.name;
  const auto counts = counts_of(axes);
  const auto at = positions_in(axes, index);
  auto name = axes.aims[at[3]].text() + ", " + axes.schedules[at[5]].name;
  if (counts[6] > 1) name += ", " + level_text(axes.cost_levels[at[6]]);
  if (counts[2] > 1) name += ", " + axes.estimators[at[2]].name;
  if (counts[1] > 1) name += ", window " + axes.windows[at[1]].text();
  if (counts[4] > 1) name += fmt::format(", delay {}", axes.delays[at[4]]);
  if (counts[0] > 1) name += ", from " + to_string(axes.starts[at[0]]);
  return name;
}

std::string Grid::shape() const {
  const char* names[] = {"start", "window", "estimator", "aim", "delay", "schedule", "cost level"};
  std::vector<std::string> parts;
  for (const auto& axes : axes_) {
    if (!axes.name.empty()) continue;
    const auto counts = counts_of(axes);
    std::vector<std::string> factors;
    for (const std::size_t k : {5u, 6u, 3u, 2u, 1u, 4u, 0u}) {
      if (counts[k] > 1) factors.push_back(fmt::format("{} {}s", counts[k], names[k]));
    }
    parts.push_back(factors.empty() ? "1 cell" : fmt::format("{}", fmt::join(factors, " x ")));
  }
  const auto named = std::ranges::count_if(axes_, [](const GridAxes& a) { return !a.name.empty(); });
  if (named > 0) parts.push_back(fmt::format("{} by name", named));
  return fmt::format("{}", fmt::join(parts, ", and "));
}

std::vector<std::size_t> Grid::part(std::size_t k, std::size_t of) const {
  if (k < 1 || k > of) {
    throw InputError("part", fmt::format("there is no part {} of {}", k, of), "Count them from 1");
  }
  const auto cells = size();
  const auto first = [&](std::size_t part) { return cells / of * part + cells % of * part / of; };
  std::vector<std::size_t> indices;
  for (auto i = first(k - 1); i < first(k); ++i) {
    const auto one = cell(i);
    if (one.schedule.to != Schedule::To::after_costs || counts_costs(one.aim)) indices.push_back(i);
  }
  return indices;
}

std::string Grid::key(const GridCell& cell) const {
  const auto bytes = cell.bytes();
  Packer packer;
  packer.add(std::string_view(digest_.text()));
  packer.add(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  return Digest::of(packer.bytes()).text();
}

Bytes GridJob::to_bytes() const {
  Packer packer;
  packer.add(std::string_view(reinterpret_cast<const char*>(grid.data()), grid.size()));
  for (const auto cell : cells) packer.add(std::int64_t(cell));
  return packer.bytes();
}

GridJob GridJob::from_bytes(std::span<const std::byte> bytes) {
  Unpacker unpacker(bytes);
  const auto grid = unpacker.text();
  const auto* data = reinterpret_cast<const std::byte*>(grid.data());
  GridJob job{Bytes(data, data + grid.size())};
  while (!unpacker.at_end()) job.cells.push_back(std::size_t(unpacker.number()));
  return job;
}

}  // namespace inchtide
