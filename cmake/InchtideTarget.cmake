# How every target of this project is compiled, and how its libraries are made.

add_library(inchtide_flags INTERFACE)
target_compile_features(inchtide_flags INTERFACE cxx_std_20)
target_compile_options(inchtide_flags INTERFACE
  -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor -Wno-missing-field-initializers
  # False alarms of g++ 12 in its headers.
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict -Wno-maybe-uninitialized -Wno-stringop-overflow -Wno-array-bounds>
  # In tests, calls that are to throw are made for that, whatever they would return; and where files are compiled together
  # one may use a name that another has.
  $<$<BOOL:$<TARGET_PROPERTY:INCHTIDE_IS_TEST>>:-Wno-unused-result>
  $<$<AND:$<BOOL:$<TARGET_PROPERTY:INCHTIDE_IS_TEST>>,$<BOOL:${INCHTIDE_BUNDLE}>>:-Wno-shadow>
  $<$<BOOL:${INCHTIDE_WARNINGS_AS_ERRORS}>:-Werror>)
if(INCHTIDE_SANITIZE)
  # Of undefined behaviour what nothing else sees; checks before every single access would double the time to compile,
  # and the address sanitizer stops at what they look for.
  set(checks address,signed-integer-overflow,shift,bounds,float-cast-overflow,return)
  add_compile_options(-fsanitize=${checks} -fno-sanitize-recover=all -fno-omit-frame-pointer)
  add_link_options(-fsanitize=${checks})
endif()

# inchtide_bundle(target): its sources are compiled a folder at a time, or a dozen of a larger one, where INCHTIDE_BUNDLE
# asks for it. Most of a file's time goes into the headers, and into what it makes of their templates.
function(inchtide_bundle target)
  if(NOT INCHTIDE_BUNDLE)
    return()
  endif()
  set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_MODE GROUP)
  get_target_property(sources ${target} SOURCES)
  foreach(source IN LISTS sources)
    cmake_path(GET source PARENT_PATH folder)
    cmake_path(GET folder FILENAME folder)
    math(EXPR ${folder}_count "0${${folder}_count} + 1")
    math(EXPR part "(${${folder}_count} - 1) / 12")
    set_source_files_properties(${source} PROPERTIES UNITY_GROUP ${folder}${part})
  endforeach()
endfunction()

# inchtide_library(core sources...): the library inchtide::core, its public headers and its install rules. Shared where
# BUILD_SHARED_LIBS asks for it, with nothing to be seen of it but the public names (base/api.hpp).
function(inchtide_library name)
  set(target inchtide_${name})
  add_library(${target} ${ARGN})
  add_library(inchtide::${name} ALIAS ${target})
  set_target_properties(${target} PROPERTIES EXPORT_NAME ${name} POSITION_INDEPENDENT_CODE ON
    CXX_VISIBILITY_PRESET hidden VISIBILITY_INLINES_HIDDEN ON VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION})
  target_compile_features(${target} PUBLIC cxx_std_20)
  inchtide_bundle(${target})
  target_include_directories(${target} PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
                                              $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
                             PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(${target} PRIVATE $<BUILD_INTERFACE:inchtide_flags>)
  set(names ${PROJECT_SOURCE_DIR}/cmake/public-names.map)
  target_link_options(${target} PRIVATE $<$<PLATFORM_ID:Linux>:LINKER:--version-script=${names}>)
  set_target_properties(${target} PROPERTIES LINK_DEPENDS ${names})
  if(name STREQUAL core)
    set(stages base prices returns estimate relations frontier weights rehearsal study)
  else()
    set(stages ${name})
  endif()
  foreach(stage IN LISTS stages)
    install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/inchtide/${stage}
            DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/inchtide COMPONENT ${name})
  endforeach()
  # Each library is a component of the package, exported by itself, so that it can be found alone.
  install(TARGETS ${target} EXPORT inchtide-${name}
          ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT ${name}
          LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT ${name})
  install(EXPORT inchtide-${name} NAMESPACE inchtide:: FILE inchtide-${name}.cmake
          DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/inchtide COMPONENT ${name})
endfunction()
