# Compiler flags of everything that is built here; they are not passed on to consumers.
add_library(anvilcast_flags INTERFACE)

# Decisions are exact only when a*b+c is rounded twice: the compiler must not fuse it.
target_compile_options(anvilcast_flags INTERFACE
  -ffp-contract=off -fno-math-errno -fno-trapping-math -Wall -Wextra -Wconversion -Wshadow -Wpedantic
  $<$<BOOL:${ANVILCAST_WERROR}>:-Werror>)
set(CMAKE_CXX_FLAGS_RELEASE "-O3 -DNDEBUG")

if(ANVILCAST_SANITIZE)
  target_compile_options(anvilcast_flags INTERFACE
    -fsanitize=${ANVILCAST_SANITIZE} -fno-omit-frame-pointer -fno-sanitize-recover=all)
  # An index that is none ends at once as well.
  target_compile_definitions(anvilcast_flags INTERFACE ANVILCAST_SANITIZED _GLIBCXX_ASSERTIONS)
  target_link_options(anvilcast_flags INTERFACE -fsanitize=${ANVILCAST_SANITIZE})
endif()
if(ANVILCAST_BUILD_FUZZERS)
  # Without this the fuzzer sees the targets only, not the library that they drive.
  target_compile_options(anvilcast_flags INTERFACE -fsanitize=fuzzer-no-link)
endif()
if(ANVILCAST_COVERAGE)
  target_compile_options(anvilcast_flags INTERFACE --coverage -O0)
  target_link_options(anvilcast_flags INTERFACE --coverage)
endif()
# GCC 12 warns wrongly about "text" + std::string (its bug 105651, under four names).
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_CXX_COMPILER_VERSION VERSION_LESS 13)
  target_compile_options(anvilcast_flags INTERFACE -Wno-restrict -Wno-stringop-overflow -Wno-stringop-overread
    -Wno-array-bounds)
endif()
