#include "base/names.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::base {
namespace {

bool is_continued(char c) { return (static_cast<unsigned char>(c) & 0xC0U) == 0x80U; }

/// Bytes of the letter that begins here; 0 when none does.
std::size_t length_of_letter(std::string_view text) {
    const auto first = static_cast<unsigned char>(text.front());
    const std::size_t n = first < 0x80                    ? 1
                          : first >= 0xC2 && first < 0xE0 ? 2
                          : first < 0xC2                  ? 0
                          : first < 0xF0                  ? 3
                          : first < 0xF5                  ? 4
                                                          : 0;
    if (n > text.size()) return 0;
    for (std::size_t k = 1; k < n; ++k)
        if (!is_continued(text[k])) return 0;
    return n;
}

bool is_control(std::string_view letter) {
    const auto first = static_cast<unsigned char>(letter.front());
    if (letter.size() == 1) return first < 0x20 || first == 0x7F;
    return letter.size() == 2 && first == 0xC2 && static_cast<unsigned char>(letter[1]) < 0xA0;
}

bool is_blank(std::string_view name) { return name.find_first_not_of(' ') == std::string_view::npos; }

bool is_dots(std::string_view name) { return name == "." || name == ".."; }

}  // namespace

std::string fault_of_name(std::string_view name) {
    if (is_blank(name)) return "is blank";
    if (is_dots(name)) return "names a directory";
    if (name.size() > kLongestName) return fmt::format("is {} bytes long, {} are the most", name.size(), kLongestName);
    while (!name.empty()) {
        const std::size_t n = length_of_letter(name);
        if (n == 0) return "is not in UTF-8";
        if (is_control(name.substr(0, n))) return "has a control character in it";
        name.remove_prefix(n);
    }
    return "";
}

std::string tidy_name(std::string_view name) {
    std::string out;
    while (!name.empty()) {
        const std::size_t n = length_of_letter(name);
        if (n == 0) {
            const auto byte = static_cast<unsigned char>(name.front());
            if (byte < 0xA0)
                out += '_';
            else
                out += {static_cast<char>(0xC0U | byte >> 6U), static_cast<char>(0x80U | (byte & 0x3FU))};
        } else {
            out += is_control(name.substr(0, n)) ? "_" : name.substr(0, n);
        }
        name.remove_prefix(std::max<std::size_t>(n, 1));
    }
    out = cut_at_letter(out, kLongestName);
    out.erase(0, std::min(out.find_first_not_of(' '), out.size()));
    while (!out.empty() && out.back() == ' ') out.pop_back();
    return out.empty() || is_dots(out) ? "zone" : out;
}

std::string_view cut_at_letter(std::string_view text, std::size_t bytes) {
    if (text.size() <= bytes) return text;
    while (bytes > 0 && is_continued(text[bytes])) --bytes;
    return text.substr(0, bytes);
}

std::vector<std::string> file_names(const std::vector<std::string>& names) {
    std::vector<std::string> out;
    std::set<std::string> taken;
    for (std::string name : names) {
        std::replace(name.begin(), name.end(), '/', '_');
        if (name.front() == '.') name.front() = '_';
        auto lower = [](std::string s) {
            for (char& c : s) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
            return s;
        };
        std::string unique = name;
        for (int n = 2; !taken.insert(lower(unique)).second; ++n) unique = fmt::format("{}-{}", name, n);
        out.push_back(std::move(unique));
    }
    return out;
}

std::string UniqueNames::add(const std::string& wanted) {
    std::string name(cut_at_letter(wanted, most_));
    for (int n = 2; !taken_.insert(name).second; ++n) {
        const std::string suffix = fmt::format("-{}", n);
        name = std::string(cut_at_letter(wanted, most_ - suffix.size())) + suffix;
    }
    return name;
}

}  // namespace anvilcast::base
