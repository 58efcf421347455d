// The processor's own word on whether anything was rounded.
#pragma once

#if defined(__SSE2__)
#include <immintrin.h>
#else
#include <cfenv>
#endif

namespace anvilcast::robust {

#if defined(__SSE2__)
// The standard's functions also clear the old floating-point unit, which takes longer than a determinant.
inline void clear_inexact() { _mm_setcsr(_mm_getcsr() & ~static_cast<unsigned>(_MM_EXCEPT_INEXACT)); }
inline bool is_inexact() { return (_mm_getcsr() & _MM_EXCEPT_INEXACT) != 0; }
#else
inline void clear_inexact() { std::feclearexcept(FE_INEXACT); }
inline bool is_inexact() { return std::fetestexcept(FE_INEXACT) != 0; }
#endif

/// Keeps the compiler from moving what makes or uses the value to the other side.
inline void hold(double& value) { asm volatile("" : "+m"(value) : : "memory"); }

}  // namespace anvilcast::robust
