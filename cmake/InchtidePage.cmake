# The page's script and style, bundled by npm's packages where npm is there; without it everything else builds.
find_program(INCHTIDE_NODE node)
find_program(INCHTIDE_NPM npm)
set(page_source ${CMAKE_CURRENT_SOURCE_DIR}/page)
set(page_work ${CMAKE_BINARY_DIR}/page)
if(INCHTIDE_NODE AND INCHTIDE_NPM AND INCHTIDE_BUILD_PAGE)
  set(page_bundle ${page_work}/page_bundle.cpp)
  file(GLOB page_files CONFIGURE_DEPENDS ${page_source}/src/*)
  # The packages lie beside the build, so that the sources stay as they are.
  add_custom_command(
    OUTPUT ${page_work}/node_modules/.package-lock.json
    COMMAND ${CMAKE_COMMAND} -E copy ${page_source}/package.json ${page_source}/package-lock.json ${page_work}
    COMMAND ${INCHTIDE_NPM} ci --ignore-scripts --no-audit --no-fund --silent
    DEPENDS ${page_source}/package.json ${page_source}/package-lock.json
    WORKING_DIRECTORY ${page_work} COMMENT "Fetching what the page is bundled with" VERBATIM)
  add_custom_command(
    OUTPUT ${page_bundle}
    COMMAND ${CMAKE_COMMAND} -E rm -rf ${page_work}/src  # what is no longer there
    COMMAND ${CMAKE_COMMAND} -E copy_directory ${page_source}/src ${page_work}/src
    COMMAND ${CMAKE_COMMAND} -E copy ${page_source}/build.mjs ${page_source}/tsconfig.json ${page_work}
    COMMAND ${page_work}/node_modules/.bin/tsc --noEmit -p ${page_work}
    COMMAND ${INCHTIDE_NODE} build.mjs ${page_bundle}
    DEPENDS ${page_work}/node_modules/.package-lock.json ${page_files} ${page_source}/build.mjs ${page_source}/tsconfig.json
    WORKING_DIRECTORY ${page_work} COMMENT "Bundling the page" VERBATIM)
  add_custom_target(inchtide-page DEPENDS ${page_bundle})
else()
  set(page_bundle ${page_work}/no_page.cpp)
  configure_file(${CMAKE_CURRENT_SOURCE_DIR}/src/report/no_page.cpp.in ${page_bundle} COPYONLY)
  message(STATUS "Without Node.js and npm the page is not built: report says so")
endif()
file(MAKE_DIRECTORY ${page_work})
