# What isn't built isn't asked for: the core alone configures where nothing is to be found of what files and the tool take,
# and the libraries where there is nothing for the tool.
set(core_alone -DINCHTIDE_BUILD_FILES=OFF -DINCHTIDE_BUILD_TOOL=OFF)
set(no_tool -DINCHTIDE_BUILD_TOOL=OFF)
foreach(package IN ITEMS nlohmann_json tomlplusplus Libcsv SQLite3 CURL date Xlsxwriter ZLIB CLI11 spdlog OpenSSL)
  list(APPEND core_alone -DCMAKE_DISABLE_FIND_PACKAGE_${package}=ON)
endforeach()
foreach(package IN ITEMS CLI11 spdlog)
  list(APPEND no_tool -DCMAKE_DISABLE_FIND_PACKAGE_${package}=ON)
endforeach()
foreach(way IN ITEMS core_alone no_tool)
  file(REMOVE_RECURSE ${WORK}/${way})
  execute_process(COMMAND ${CMAKE_COMMAND} -S ${SOURCE} -B ${WORK}/${way} ${${way}} -DINCHTIDE_BUILD_TESTS=OFF
                          -DINCHTIDE_BUILD_EXAMPLES=OFF
                  RESULT_VARIABLE code OUTPUT_VARIABLE out ERROR_VARIABLE out)
  if(NOT code EQUAL 0)
    message(FATAL_ERROR "${way}\n${out}")
  endif()
endforeach()
# And what is asked for is said to be missing, which shows that the above can fail.
execute_process(COMMAND ${CMAKE_COMMAND} -S ${SOURCE} -B ${WORK}/missing ${core_alone} -DINCHTIDE_BUILD_FILES=ON
                        -DINCHTIDE_BUILD_TESTS=OFF
                RESULT_VARIABLE code OUTPUT_VARIABLE out ERROR_VARIABLE out)
if(code EQUAL 0)
  message(FATAL_ERROR "the libraries of files configure without what they need")
endif()
