// A number as the unevaluated sum of two doubles: some 106 bits, at a tenth of the price of exact arithmetic.
//
// Relative error of a result, u = 2^-53: sum 3 u^2 + 13 u^3, product 7 u^2. Source: M. Joldes, J.-M. Muller, V.
// Popescu, Tight and rigorous error bounds for basic building blocks of double-word arithmetic, ACM Transactions on
// Mathematical Software 44 (2017), algorithms 6 and 10.
#pragma once

#include "robust/expansion.hpp"

namespace anvilcast::robust {

struct TwoDouble {
    double high = 0, low = 0;
};

/// Requires |a| >= |b|, or a == 0.
inline TwoDouble quick_sum(double a, double b) {
    const double s = a + b;
    return {s, b - (s - a)};
}

inline TwoDouble difference(double a, double b) {
    TwoDouble d;
    two_sum(a, -b, d.high, d.low);
    return d;
}

inline TwoDouble operator-(const TwoDouble& a) { return {-a.high, -a.low}; }

inline TwoDouble operator+(const TwoDouble& a, const TwoDouble& b) {
    double s, e, t, f;
    two_sum(a.high, b.high, s, e);
    two_sum(a.low, b.low, t, f);
    const TwoDouble v = quick_sum(s, e + t);
    return quick_sum(v.high, f + v.low);
}

inline TwoDouble operator-(const TwoDouble& a, const TwoDouble& b) { return a + (-b); }

inline TwoDouble operator*(const TwoDouble& a, const TwoDouble& b) {
    double p, e;
    two_product(a.high, b.high, p, e);
    return quick_sum(p, e + (a.high * b.low + a.low * b.high));
}

}  // namespace anvilcast::robust
