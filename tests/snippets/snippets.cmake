# inchtide_snippets(target libraries headers...): the programs in the headers' comments, between @code and @endcode, as
# functions of one program, each of them a test of its own. Every header has one; its asserts are on in every build.
function(inchtide_snippets target libraries)
  set(includes "")
  set(functions "")
  set(table "")
  foreach(header IN LISTS ARGN)
    file(RELATIVE_PATH name ${PROJECT_SOURCE_DIR}/include/inchtide ${header})
    set_property(DIRECTORY ${PROJECT_SOURCE_DIR} APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${header})
    file(READ ${header} text)
    if(NOT text MATCHES "@code")
      if(NOT name STREQUAL "base/api.hpp")  # a macro
        message(FATAL_ERROR "include/inchtide/${name} has no example between @code and @endcode")
      endif()
      continue()
    endif()
    string(REGEX MATCH "@code\n(.*)/// @endcode" whole "${text}")
    string(REGEX REPLACE "\n///? ?" "\n" program "\n${CMAKE_MATCH_1}")
    string(REGEX MATCHALL "#include [^\n]*\n" own "${program}")
    string(REGEX REPLACE "#include [^\n]*\n" "" program "${program}")
    string(JOIN "" own ${own})
    string(MAKE_C_IDENTIFIER "${name}" function)
    string(APPEND includes "#include \"inchtide/${name}\"\n${own}")
    string(APPEND functions "void ${function}() {\n${program}}\n\n")
    string(APPEND table "      {\"${name}\", ${function}},\n")
    add_test(NAME snippet.${name} COMMAND ${target} ${name})
  endforeach()
  set(source ${CMAKE_CURRENT_BINARY_DIR}/snippets/${target}.cpp)
  file(GENERATE OUTPUT ${source} CONTENT
"#include <functional>
#include <map>
#include <string>
${includes}
namespace {

${functions}}  // namespace

int main(int, char** arguments) {
  const std::map<std::string, std::function<void()>> all{
${table}  };
  all.at(arguments[1])();
}
")
  add_executable(${target} ${source})
  target_link_libraries(${target} PRIVATE ${libraries} inchtide_flags)
  target_compile_options(${target} PRIVATE -UNDEBUG -O0 $<$<CXX_COMPILER_ID:GNU>:-Wno-dangling-pointer>)
  set_target_properties(${target} PROPERTIES INCHTIDE_IS_TEST ON)
endfunction()
