#pragma once
/// What a shared library shows of itself: everything in the public headers, and nothing else.

/// Stands before every public class and function.
#define INCHTIDE_API __attribute__((visibility("default")))
