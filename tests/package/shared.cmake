# The libraries as shared ones, from a build of them: nothing is to be seen of them but their public names, and a program
# compiled for the processor it runs on gets the tool's bits.
#   cmake -DBUILD=... -DTOOL=... -DMANDATE=... -DSOURCE=... -DWORK=... -P shared.cmake
include(${CMAKE_CURRENT_LIST_DIR}/run.cmake)

file(REMOVE_RECURSE ${WORK})
run(${CMAKE_COMMAND} --install ${BUILD} --prefix ${WORK}/prefix)
file(GLOB libraries ${WORK}/prefix/lib*/libinchtide_*.so ${WORK}/prefix/lib*/*/libinchtide_*.so)
set(names ${libraries})
list(TRANSFORM names REPLACE ".*/libinchtide_(.*)\\.so" "\\1")
list(REMOVE_ITEM names cluster)  # is there where Open MPI is
list(SORT names)
if(NOT names STREQUAL "core;exchange;mandate;report")
  message(FATAL_ERROR "shared libraries that were installed: ${libraries}")
endif()
foreach(library IN LISTS libraries)
  run(nm -DC --defined-only ${library})
  string(REGEX MATCHALL "[^\n]+" lines "${out}")
  foreach(line IN LISTS lines)
    if(NOT line MATCHES "inchtide::")
      message(FATAL_ERROR "${library} shows what is none of its public names: ${line}")
    endif()
  endforeach()
endforeach()
run(${TOOL} weigh --mandate ${MANDATE} --quiet --json ${WORK}/answer.json)
foreach(way IN ITEMS "" "-march=native -O3")
  string(MAKE_C_IDENTIFIER "build${way}" folder)
  run(${CMAKE_COMMAND} -S ${SOURCE} -B ${WORK}/${folder} -DCMAKE_PREFIX_PATH=${WORK}/prefix "-DPARTS=core\;mandate"
      "-DCMAKE_CXX_FLAGS=${way}")
  run(${CMAKE_COMMAND} --build ${WORK}/${folder})
  run(${WORK}/${folder}/consumer)
  run(${WORK}/${folder}/same-bits ${MANDATE} ${WORK}/answer.json)
  message(STATUS "compiled with '${way}': ${out}")
endforeach()
