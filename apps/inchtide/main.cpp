// inchtide: from price histories to weights under limits, and what trading them would have left.

#include <fmt/format.h>
#include <spdlog/pattern_formatter.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>
#include <CLI/CLI.hpp>
#include <algorithm>
#include <csignal>
#include <cstdio>
#include <iostream>
#include <new>

#include "checks.hpp"
#include "inchtide/base/blas_threads.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/base/version.hpp"
#include "options.hpp"
#include "output.hpp"

namespace {

using namespace inchtide::app;

/// The text of a message as a terminal may have it, whatever names it holds.
class PrintableText : public spdlog::custom_flag_formatter {
 public:
  void format(const spdlog::details::log_msg& message, const std::tm&, spdlog::memory_buf_t& to) override {
    const auto text = inchtide::printable(std::string_view(message.payload.data(), message.payload.size()));
    to.append(text.data(), text.data() + text.size());
  }
  std::unique_ptr<custom_flag_formatter> clone() const override { return std::make_unique<PrintableText>(); }
};

void set_up_messages() {
  auto logger = spdlog::stderr_logger_st("inchtide");
  auto pattern = std::make_unique<spdlog::pattern_formatter>();
  pattern->add_flag<PrintableText>('*').set_pattern("inchtide: %l: %*");
  logger->set_formatter(std::move(pattern));
  spdlog::set_default_logger(logger);
}

// Says what went wrong, and what the tool ends with.
int told(const inchtide::Error& error, const std::string& command, const Options& options) {
  using namespace inchtide;
  spdlog::error("{}", error.notice().text(options.spelt));
  if (const auto* unsolved = dynamic_cast<const UnsolvedProblem*>(&error)) keep(*unsolved, command, options);
  if (dynamic_cast<const WrongUsage*>(&error) != nullptr) return wrong_usage;
  if (dynamic_cast<const InputError*>(&error) != nullptr) return bad_input;
  if (dynamic_cast<const OutsideFailure*>(&error) != nullptr) return outside_failed;
  if (dynamic_cast<const Interrupted*>(&error) != nullptr) return interrupted;
  return uncertified;
}

// A word of the command line that is no command, or no option of its command, and the nearest that is.
std::optional<inchtide::Notice> unknown_word(const CLI::App& tool, int count, char** arguments) {
  const std::vector<std::string> words(arguments + 1, arguments + count);
  if (words.empty() || words[0].starts_with('-')) return std::nullopt;
  std::vector<std::string> commands;
  for (const auto* command : tool.get_subcommands({})) commands.push_back(command->get_name());
  if (std::ranges::find(commands, words[0]) == commands.end()) {
    return inchtide::Notice(words[0], "there is no such command", {inchtide::did_you_mean(words[0], commands)});
  }
  const auto* command = tool.get_subcommand(words[0]);
  std::vector<std::string> options;
  for (const auto* option : command->get_options()) options.push_back(option->get_name());
  for (const auto& word : words) {
    const auto name = word.substr(0, word.find('='));
    if (!name.starts_with("--") || name == "--" || command->get_option_no_throw(name) != nullptr) continue;
    const auto near = inchtide::nearest_name(name, options);
    return inchtide::Notice(
        name, "inchtide " + words[0] + " has no such option",
        {near ? fmt::format("Did you mean '{}'?", *near) : fmt::format("inchtide {} --help lists them", words[0])});
  }
  return std::nullopt;
}

// What else the parser found: an option that comes twice, or without its value.
inchtide::Notice wrong_words(const CLI::ParseError& error, int count, char** arguments) {
  const std::vector<std::string> words(arguments + 1, arguments + count);
  const std::string said = error.what();
  const auto option = said.starts_with("--") ? said.substr(0, said.find(':')) : std::string();
  if (dynamic_cast<const CLI::ArgumentMismatch*>(&error) != nullptr && !option.empty()) {
    const auto times = std::ranges::count_if(
        words, [&](const std::string& word) { return word == option || word.starts_with(option + "="); });
    if (times > 1) return {option, "it is given more than once", {"Leave all but one out"}};
    return {option, "its value is missing", {"Write it behind the option"}};
  }
  const auto colon = option.empty() ? std::string::npos : option.size() + 2;
  return {option.empty() ? std::string("command line") : option,
          colon < said.size() ? said.substr(colon) : said,
          {fmt::format("inchtide {}--help lists what there is", words.empty() ? "" : words[0] + " ")}};
}

int run(int count, char** arguments) {
  using namespace inchtide;
  app::Options options;
  CLI::App tool("Estimates, exact efficient frontiers, weights within limits, and rehearsed rebalancing with costs.",
                "inchtide");
  tool.set_version_flag("--version", std::string("inchtide ") + version);
  tool.require_subcommand(1);
  tool.footer("inchtide COMMAND --help shows a command's options and examples.");
  app::add_gather(tool, options);
  app::add_inspect(tool, options);
  app::add_describe(tool, options);
  app::add_relate(tool, options);
  app::add_estimate(tool, options);
  app::add_frontier(tool, options);
  app::add_weigh(tool, options);
  app::add_rehearse(tool, options);
  app::add_runs(tool, options);
  app::add_luck(tool, options);
  app::add_report(tool, options);
  app::add_explore(tool, options);
  app::add_demo(tool, options);
  try {
    tool.parse(count, arguments);
    return options.exit_code;
  } catch (const CLI::ParseError& error) {
    if (const auto unknown = unknown_word(tool, count, arguments)) {
      spdlog::error("{}", unknown->text());
      return wrong_usage;
    }
    if (error.get_exit_code() == 0) return tool.exit(error);  // help, or the version
    spdlog::error("{}", wrong_words(error, count, arguments).text());
    return wrong_usage;
  } catch (const Error& error) {
    return told(error, tool.get_subcommands().front()->get_name(), options);
  } catch (const std::bad_alloc&) {
    spdlog::error("There is not enough memory for this. Choose fewer assets or days, or a machine with more");
    return outside_failed;
  } catch (const std::exception& error) {
    spdlog::error("This is a fault of Inch Tide, not of your data: {}. Please report it with the command",
                  error.what());
    return own_fault;
  }
}

}  // namespace

int main(int count, char** arguments) {
  // A reader that went away or a file that may not grow is an error that is said, not the end.
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);
  inchtide::use_one_blas_thread();  // equal bits on every run; threads are the tool's own
  set_up_messages();
  const int code = run(count, arguments);
  if (std::cout.flush() && std::fflush(stdout) == 0) return code;
  if (code == done) spdlog::error("standard output cannot be written");
  return code == done ? outside_failed : code;
}
