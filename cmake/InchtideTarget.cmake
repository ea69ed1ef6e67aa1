# How every target of this project is compiled, and how the three libraries are made.

add_library(inchtide_flags INTERFACE)
target_compile_features(inchtide_flags INTERFACE cxx_std_20)
target_compile_options(inchtide_flags INTERFACE
  -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor -Wno-missing-field-initializers
  # False alarms of g++ 12 in its headers.
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict -Wno-maybe-uninitialized -Wno-stringop-overflow -Wno-array-bounds>
  $<$<BOOL:${INCHTIDE_WARNINGS_AS_ERRORS}>:-Werror>)
if(INCHTIDE_SANITIZE)
  # Checks before every single access double the time to compile, and the address sanitizer stops at what they look for
  # (null, what lies outside of an object) or the processor allows it (alignment).
  add_compile_options(-fsanitize=address,undefined -fno-sanitize=null,alignment,object-size,vptr
                      -fno-sanitize-recover=all -fno-omit-frame-pointer)
  add_link_options(-fsanitize=address,undefined)
endif()

# inchtide_library(core sources...): the library inchtide::core, its public headers and its install rules.
function(inchtide_library name)
  set(target inchtide_${name})
  add_library(${target} STATIC ${ARGN})
  add_library(inchtide::${name} ALIAS ${target})
  set_target_properties(${target} PROPERTIES EXPORT_NAME ${name} POSITION_INDEPENDENT_CODE ON)
  target_compile_features(${target} PUBLIC cxx_std_20)
  target_include_directories(${target} PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
                                              $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
                             PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(${target} PRIVATE $<BUILD_INTERFACE:inchtide_flags>)
  if(name STREQUAL core)
    set(stages base prices returns estimate relations frontier weights rehearsal study)
  else()
    set(stages ${name})
  endif()
  foreach(stage IN LISTS stages)
    install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/inchtide/${stage}
            DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/inchtide)
  endforeach()
  install(TARGETS ${target} EXPORT inchtide ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
endfunction()
