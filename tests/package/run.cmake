# run(command...): fails with what it printed where the command does; leaves it in `out` else.
function(run)
  execute_process(COMMAND ${ARGN} RESULT_VARIABLE code OUTPUT_VARIABLE out ERROR_VARIABLE out)
  if(NOT code EQUAL 0)
    string(JOIN " " command ${ARGN})
    message(FATAL_ERROR "${command}\n${out}")
  endif()
  set(out "${out}" PARENT_SCOPE)
endfunction()
