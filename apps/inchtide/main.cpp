// inchtide: from price histories to weights under limits, and what trading them would have left.

#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>
#include <CLI/CLI.hpp>

#include "inchtide/base/errors.hpp"
#include "inchtide/report/version.hpp"
#include "options.hpp"
#include "output.hpp"

namespace {

void set_up_messages() {
  auto logger = spdlog::stderr_logger_st("inchtide");
  logger->set_pattern("inchtide: %l: %v");
  spdlog::set_default_logger(logger);
}

}  // namespace

int main(int count, char** arguments) {
  using namespace inchtide;
  using namespace inchtide::app;
  set_up_messages();
  app::Options options;
  CLI::App tool("Estimates, exact efficient frontiers, weights within limits, and rehearsed rebalancing with costs.",
                "inchtide");
  tool.set_version_flag("--version", std::string("inchtide ") + report::version);
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
  app::add_demo(tool, options);
  try {
    tool.parse(count, arguments);
    return options.exit_code;
  } catch (const CLI::ParseError& error) {
    return tool.exit(error) == 0 ? done : wrong_usage;
  } catch (const InputError& error) {
    spdlog::error("{}", error.what());
    return bad_input;
  } catch (const OutsideFailure& error) {
    spdlog::error("{}", error.what());
    return outside_failed;
  } catch (const Interrupted& error) {
    spdlog::error("{}", error.what());
    return interrupted;
  } catch (const UnsolvedProblem& error) {
    spdlog::error("{}", error.what());
    keep(error, tool.get_subcommands().front()->get_name(), options);
    return uncertified;
  } catch (const UncertifiedAnswer& error) {
    spdlog::error("{}", error.what());
    return uncertified;
  } catch (const std::exception& error) {
    spdlog::error("{}", error.what());
    return outside_failed;
  }
}
