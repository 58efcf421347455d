#include <anvilcast/errors.hpp>
#include <anvilcast/layer_stack.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace anvilcast {
namespace {

constexpr double kLargestGrowth = 3;
constexpr int kMostLayers = 500;

/// 1 + r + ... + r^(n - 1)
double geometric_sum(double r, int n) { return std::abs(r - 1) < 1e-9 ? n : (std::pow(r, n) - 1) / (r - 1); }

/// Heights in first heights, when the first `equal` layers have that height: of all layers together, and of the last.
double total_in_firsts(double r, int n, int equal) {
    return n <= equal ? n : equal - 1 + geometric_sum(r, n - equal + 1);
}
double last_in_firsts(double r, int n, int equal) { return n <= equal ? 1.0 : std::pow(r, n - equal); }

/// The one of several ways to say a thing that was given.
using Way = std::pair<const char*, std::optional<double>>;
std::optional<double> one_of(const char* what, std::initializer_list<Way> ways) {
    std::optional<double> value;
    const char* given = nullptr;
    for (const auto& [name, v] : ways) {
        if (!v) continue;
        if (!(*v > 0) || !std::isfinite(*v)) throw InputError(fmt::format("{} is {}; it must be positive", name, *v));
        if (given != nullptr)
            throw InputError(fmt::format("{} and {} both tell the {}; leave one of them out", given, name, what));
        given = name;
        value = v;
    }
    return value;
}

/// The growth with which `increasing(growth)` takes a value; bisection.
template <typename F>
double solve_growth(const F& increasing, double value) {
    double low = 1, high = kLargestGrowth;
    if (increasing(low) > value * (1 + 1e-9))
        throw InputError(
            "no growing layers fulfil that: even layers of one height are too high together; take fewer "
            "layers, a smaller first height, or a larger total or last height");
    if (increasing(high) < value)
        throw InputError(
            fmt::format("layers would have to grow by more than {} each; take more layers, or a larger first "
                        "height",
                        kLargestGrowth));
    for (int i = 0; i < 200; ++i) {
        const double middle = 0.5 * (low + high);
        (increasing(middle) < value ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

class Solver {
  public:
    Solver(std::optional<double> first, std::optional<int> count, std::optional<double> growth,
           std::optional<double> total, std::optional<double> last, int equal)
        : first_(first), growth_(growth), total_(total), last_(last), count_(count), equal_(equal) {}

    LayerStack solve() {
        check_number_of_conditions();
        if (!count_) find_count();
        const int n = *count_;
        // With the count known, two of first, growth, total and last are left.
        const int e = std::min(equal_, n);
        if (first_ && growth_) {
        } else if (first_ && total_) {
            growth_ = solve_growth([&](double r) { return *first_ * total_in_firsts(r, n, e); }, *total_);
        } else if (first_ && last_) {
            growth_ = n == e ? 1.0 : solve_growth([&](double r) { return *first_ * last_in_firsts(r, n, e); }, *last_);
        } else if (growth_ && total_) {
            first_ = *total_ / total_in_firsts(*growth_, n, e);
        } else if (growth_ && last_) {
            first_ = *last_ / last_in_firsts(*growth_, n, e);
        } else {
            // With the last height fixed a stack gets lower as it grows more.
            growth_ = solve_growth(
                [&](double r) { return -*last_ * total_in_firsts(r, n, e) / last_in_firsts(r, n, e); }, -*total_);
            first_ = *last_ / last_in_firsts(*growth_, n, e);
        }
        LayerStack s;
        s.first = *first_;
        s.growth = *growth_;
        s.count = n;
        s.plateau = e;
        s.total = s.first * total_in_firsts(s.growth, n, e);
        s.last = s.first * last_in_firsts(s.growth, n, e);
        return s;
    }

  private:
    void check_number_of_conditions() const {
        std::vector<std::string> given, missing;
        (first_ ? given : missing).emplace_back("a first height (first_height, y_plus or first_flatness)");
        (count_ ? given : missing).emplace_back("count");
        (growth_ ? given : missing).emplace_back("growth");
        (total_ ? given : missing).emplace_back("total_height");
        (last_ ? given : missing).emplace_back("a last height (last_height, last_flatness or meets_core)");
        if (given.size() > 3)
            throw InputError(fmt::format("the layers are told in {} ways where three determine them: {}; leave {} out",
                                         given.size(), fmt::join(given, ", "), given.size() == 4 ? "one" : "two"));
        if (given.size() < 3)
            throw InputError(fmt::format("the layers are not determined{}{}; add {} of: {}",
                                         given.empty() ? "" : " by ", fmt::join(given, " and "),
                                         given.size() == 2   ? "one"
                                         : given.size() == 1 ? "two"
                                                             : "three",
                                         fmt::join(missing, ", ")));
        if (growth_ && !(*growth_ >= 1 && *growth_ <= kLargestGrowth))
            throw InputError(
                fmt::format("the layers' growth is {}; it must be from 1 to {}", *growth_, kLargestGrowth));
        if (count_ && !(*count_ >= 1 && *count_ <= kMostLayers))
            throw InputError(fmt::format("the number of layers is {}; it must be from 1 to {}", *count_, kMostLayers));
    }

    /// Two of first, total and last, and the growth; or all three. The rounded count takes the place of the growth
    /// where that leaves two heights; of the total height beside growth and last; of the last height where all three
    /// were given.
    void find_count() {
        double n = 1;  // of the growing layers, the last of the equal ones among them
        const double equal = equal_ - 1;
        if (first_ && total_ && last_) {
            // total = (growth last - first) / (growth - 1)
            const double growing = *total_ - equal * *first_;
            if (growing <= *last_ || *last_ < *first_)
                throw InputError("the last height must lie between the first and the total height");
            const double r = (growing - *first_) / (growing - *last_);
            n = r > 1 + 1e-9 ? 1 + std::log(*last_ / *first_) / std::log(r) : growing / *first_;
            last_.reset();
        } else if (first_ && total_) {
            const double growing = std::max(*first_, *total_ - equal * *first_);
            n = *growth_ > 1 ? std::log1p(growing / *first_ * (*growth_ - 1)) / std::log(*growth_) : growing / *first_;
            growth_.reset();
        } else {
            const double r = *growth_;
            if (!(r > 1))
                throw InputError("layers that do not grow cannot go from one height to another; give the count");
            if (!first_) first_ = (*last_ * r - *total_ * (r - 1)) / (1 - equal * (r - 1));
            if (!(*first_ > 0) || *first_ > *last_)
                throw InputError(
                    "no first height goes with that last height, total height and growth; take a smaller "
                    "total or a larger last height");
            n = 1 + std::log(*last_ / *first_) / std::log(r);
            if (total_) {
                first_.reset();
                total_.reset();
            } else {
                growth_.reset();
            }
        }
        n += equal;
        if (!(n < kMostLayers)) throw InputError(fmt::format("that takes more than {} layers", kMostLayers));
        count_ = std::max(1, static_cast<int>(std::lround(n)));
        // A single layer cannot be both its first and another height.
        if (*count_ == 1 && first_ && !growth_) {
            growth_ = 1;
            total_.reset();
            last_.reset();
        }
    }

    std::optional<double> first_, growth_, total_, last_;
    std::optional<int> count_;
    int equal_;
};

std::optional<double> last_height_at(const LayerRecipe& recipe, double size) {
    auto by = [](std::optional<double> x, const auto& f) { return x ? std::optional<double>(f(*x)) : std::nullopt; };
    return one_of("last height",
                  {{"last_height", recipe.last_height},
                   {"last_flatness", by(recipe.last_flatness, [&](double a) { return size / a; })},
                   {"meets_core", by(recipe.meets_core, [&](double m) { return m * kCoreHeight * size; })}});
}

}  // namespace

double LayerStack::height(int k) const { return first * total_in_firsts(growth, k, plateau); }

LayerStack solve_stack(const LayerRecipe& recipe, double size, const std::optional<WallEstimate>& wall, YPlusAt at) {
    if (recipe.y_plus && !wall) throw InputError("y_plus needs the flow: a [flow] with speed, fluid and length");
    if (recipe.plateau < 1) throw InputError("plateau must be at least 1");
    auto by = [](std::optional<double> x, const auto& f) { return x ? std::optional<double>(f(*x)) : std::nullopt; };
    const auto first =
        one_of("first height", {{"first_height", recipe.first_height},
                                {"y_plus", by(recipe.y_plus, [&](double y) { return first_height(*wall, y, at); })},
                                {"first_flatness", by(recipe.first_flatness, [&](double a) { return size / a; })}});
    const auto total = one_of("total height", {{"total_height", recipe.total_height}});
    LayerStack stack =
        Solver(first, recipe.count, recipe.growth, total, last_height_at(recipe, size), recipe.plateau).solve();
    stack.step_to_core = kCoreHeight * size / stack.last;
    return stack;
}

LayerStack stack_at(const LayerRecipe& recipe, const LayerStack& stack, double size) {
    if (!recipe.first_flatness && !recipe.last_flatness && !recipe.meets_core) return stack;
    const int n = stack.count, e = stack.plateau;
    LayerStack out = stack;
    const std::optional<double> last = last_height_at(recipe, size);
    const bool has_first = recipe.first_height || recipe.y_plus || recipe.first_flatness;
    if (recipe.first_flatness) out.first = size / *recipe.first_flatness;
    try {
        if (has_first && !recipe.growth && last && n > e)
            out.growth = solve_growth([&](double r) { return out.first * last_in_firsts(r, n, e); }, *last);
        else if (!has_first && recipe.growth && last)
            out.first = *last / last_in_firsts(out.growth, n, e);
    } catch (const InputError&) {
        // No growing stack of that many layers ends so at this size: the one of the zone's mean size stays.
        return stack;
    }
    out.total = out.first * total_in_firsts(out.growth, n, e);
    out.last = out.first * last_in_firsts(out.growth, n, e);
    out.step_to_core = kCoreHeight * size / out.last;
    return out;
}

LayerStack squeezed(const LayerStack& stack, int count, double room) {
    LayerStack out = stack;
    out.count = count;
    out.plateau = std::min(stack.plateau, std::max(1, count));
    if (count > 0 && out.height(count) > room) {
        const double even = out.first * count;
        if (even >= room) {
            out.growth = 1;
            out.first *= room / even;
        } else {
            out.growth =
                solve_growth([&](double r) { return out.first * total_in_firsts(r, count, out.plateau); }, room);
        }
    }
    out.total = out.height(count);
    out.last = out.first * last_in_firsts(out.growth, count, out.plateau);
    out.step_to_core = stack.step_to_core * stack.last / out.last;
    return out;
}

int layers_to_reach(double first, double growth, double height) {
    const double n = growth > 1 ? std::log1p(height / first * (growth - 1)) / std::log(growth) : height / first;
    return std::max(1, static_cast<int>(std::ceil(n - 1e-9)));
}

int layers_to_grow(double first, double growth, double last) {
    if (last <= first) return 1;
    if (!(growth > 1)) return 0;
    return std::max(1, 1 + static_cast<int>(std::lround(std::log(last / first) / std::log(growth))));
}

}  // namespace anvilcast
