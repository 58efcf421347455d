// Exact arithmetic on expansions: a number as a sum of doubles that do not overlap, smallest first.
//
// The capacity of a result is known at compile time, so that everything lives on the stack. Zero
// components are dropped, so that the common case (few bits) stays short. Exact as long as nothing
// overflows or underflows, which the model of predicates.hpp guarantees. Theorems and names follow
// Shewchuk (1997), sections 2.3 to 2.5.
#pragma once

#include <cmath>

#ifdef __FAST_MATH__
#error "the exact predicates need IEEE arithmetic: build without -ffast-math"
#endif

namespace anvilcast::robust {

template <int Capacity>
struct Expansion {
    int n = 0;
    double part[Capacity];  // NOLINT: left uninitialised on purpose, only part[0..n) is read

    void push(double value) {
        if (value != 0.0) part[n++] = value;
    }
    /// The largest part has the sign of the whole.
    int sign() const {
        if (n == 0) return 0;
        return part[n - 1] > 0 ? 1 : -1;
    }
    bool is_single() const { return n <= 1; }
};

/// a + b = sum + error, exactly (Knuth).
inline void two_sum(double a, double b, double& sum, double& error) {
    sum = a + b;
    const double b_part = sum - a;
    const double a_part = sum - b_part;
    error = (a - a_part) + (b - b_part);
}

/// a * b = product + error, exactly. std::fma is correctly rounded, in hardware or in software.
inline void two_product(double a, double b, double& product, double& error) {
#ifdef __FMA__
    product = a * b;
    error = std::fma(a, b, -product);
#else
    // Dekker's product: each factor is split into two halves of at most 26 bits.
    constexpr double kSplitter = 134217729.0;  // 2^27 + 1
    product = a * b;
    const double ca = kSplitter * a, a_hi = ca - (ca - a), a_lo = a - a_hi;
    const double cb = kSplitter * b, b_hi = cb - (cb - b), b_lo = b - b_hi;
    error = a_lo * b_lo - (((product - a_hi * b_hi) - a_lo * b_hi) - a_hi * b_lo);
#endif
}

inline Expansion<2> exact_difference(double a, double b) {
    double sum, error;
    two_sum(a, -b, sum, error);
    Expansion<2> e;
    e.push(error);
    e.push(sum);
    return e;
}

/// e + f (fast expansion sum: merge by magnitude, then one sweep).
template <int N, int M>
Expansion<N + M> operator+(const Expansion<N>& e, const Expansion<M>& f) {
    Expansion<N + M> out;
    int i = 0, j = 0;
    auto next = [&] {
        const bool take_e = j >= f.n || (i < e.n && std::abs(e.part[i]) < std::abs(f.part[j]));
        return take_e ? e.part[i++] : f.part[j++];
    };
    const int total = e.n + f.n;
    if (total == 0) return out;
    double carry = next();
    for (int k = 1; k < total; ++k) {
        double sum, error;
        two_sum(carry, next(), sum, error);
        out.push(error);
        carry = sum;
    }
    out.push(carry);
    return out;
}

template <int N>
Expansion<N> operator-(const Expansion<N>& e) {
    Expansion<N> out;
    for (int i = 0; i < e.n; ++i) out.part[i] = -e.part[i];
    out.n = e.n;
    return out;
}

template <int N, int M>
Expansion<N + M> operator-(const Expansion<N>& e, const Expansion<M>& f) {
    return e + (-f);
}

/// e * b (scale expansion).
template <int N>
Expansion<2 * N> scaled(const Expansion<N>& e, double b) {
    Expansion<2 * N> out;
    if (e.n == 0) return out;
    double carry, error;
    two_product(e.part[0], b, carry, error);
    out.push(error);
    for (int i = 1; i < e.n; ++i) {
        double product, product_error, sum;
        two_product(e.part[i], b, product, product_error);
        two_sum(carry, product_error, sum, error);
        out.push(error);
        two_sum(product, sum, carry, error);
        out.push(error);
    }
    out.push(carry);
    return out;
}

/// e * f: the scaled copies of e are summed up from the smallest part of f.
template <int N, int M>
Expansion<2 * N * M> operator*(const Expansion<N>& e, const Expansion<M>& f) {
    Expansion<2 * N * M> out;
    for (int j = 0; j < f.n; ++j) {
        const Expansion<2 * N> term = scaled(e, f.part[j]);
        if (out.n == 0) {
            for (int i = 0; i < term.n; ++i) out.part[i] = term.part[i];
            out.n = term.n;
            continue;
        }
        const auto sum = out + term;
        for (int i = 0; i < sum.n; ++i) out.part[i] = sum.part[i];
        out.n = sum.n;
    }
    return out;
}

}  // namespace anvilcast::robust
