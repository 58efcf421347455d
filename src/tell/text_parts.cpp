#include "tell/text_parts.hpp"

namespace anvilcast {

std::string without_marks(const std::string& text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (text.compare(i, 2, "\x1b[") != 0) {
            out += text[i];
            continue;
        }
        const std::size_t end = text.find_first_not_of("0123456789;", i + 2);
        if (end == std::string::npos) break;
        i = end;
    }
    return out;
}

}  // namespace anvilcast

namespace anvilcast::tell {

std::string mendings_text(const std::vector<Mending>& mendings, const LengthUnit& unit) {
    std::string text;
    for (const Mending& m : mendings) {
        text += fmt::format("  {:>9}  {}", grouped(m.count), m.what);
        if (m.largest_move > 0)
            text += fmt::format(", moving points by at most {} at {}", format_length(m.largest_move, unit),
                                place(m.at, unit));
        text += "\n";
    }
    return text;
}

std::string periodic_text(const std::vector<PeriodicPair>& pairs, const LengthUnit& unit) {
    std::string text;
    for (const PeriodicPair& p : pairs) {
        text += fmt::format("  periodic  {} is {}, {}", p.second, p.first, placement_text(p.image, unit));
        if (p.residual > 0) text += fmt::format("; they were {} apart at most", format_length(p.residual, unit));
        text += "\n";
    }
    return text;
}

std::string absorbed_text(const AbsorbReport& a, const LengthUnit& unit) {
    if (a.faces + a.narrowed + a.edges == 0) return "";
    return fmt::format("  absorbed  {} faces, {} in part, and {} edges; the surface moved by {} at most, at {}\n",
                       a.faces, a.narrowed, a.edges, format_length(a.largest_move, unit),
                       place(a.largest_move_at, unit));
}

std::string names_text(const std::vector<std::string>& names) {
    constexpr std::size_t kMost = 4;
    std::string text;
    for (std::size_t k = 0; k < std::min(kMost, names.size()); ++k) text += (k > 0 ? ", " : "") + names[k];
    return names.size() > kMost ? fmt::format("{} and {} more", text, names.size() - kMost) : text;
}

}  // namespace anvilcast::tell
