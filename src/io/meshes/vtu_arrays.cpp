#include "io/meshes/vtu_arrays.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>

namespace anvilcast::io {
namespace {

/// Groups of four characters, each by itself: heads may be encoded apart from what follows them.
std::string decoded_base64(std::string_view text) {
    static const std::array<signed char, 256> digit = [] {
        std::array<signed char, 256> out{};
        out.fill(-1);
        constexpr std::string_view kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
        for (std::size_t k = 0; k < kDigits.size(); ++k)
            out[static_cast<unsigned char>(kDigits[k])] = static_cast<signed char>(k);
        return out;
    }();
    std::string out;
    out.reserve(text.size() / 4 * 3);
    std::uint32_t group = 0;
    int n = 0, padding = 0;
    for (const char c : text) {
        if (c == '=') {
            ++padding;
            group <<= 6;
        } else if (const int d = digit[static_cast<unsigned char>(c)]; d >= 0) {
            group = group << 6 | static_cast<std::uint32_t>(d);
        } else {
            continue;  // blanks and line ends
        }
        if (++n < 4) continue;
        for (int k = 0; k < 3 - std::min(padding, 2); ++k) out += static_cast<char>(group >> (16 - 8 * k) & 255);
        group = 0;
        n = padding = 0;
    }
    return out;
}

/// A number as T, where it has it.
template <typename T, typename From>
T number_as(From v, const VtuArrays& arrays, const char* name) {
    if constexpr (std::is_integral_v<T> && !std::is_same_v<T, From>) {
        if (!(static_cast<long double>(v) >= static_cast<long double>(std::numeric_limits<T>::min()) &&
              static_cast<long double>(v) <= static_cast<long double>(std::numeric_limits<T>::max())))
            arrays.wrong(fmt::format("the array \"{}\" has a value that makes no sense", name));
    }
    return static_cast<T>(v);
}

template <typename T, typename From>
std::vector<T> converted(const std::string& bytes, const VtuArrays& arrays, const char* name) {
    if (bytes.size() % sizeof(From) != 0) arrays.wrong(fmt::format("the array \"{}\" has a broken length", name));
    std::vector<T> out(bytes.size() / sizeof(From));
    for (std::size_t i = 0; i < out.size(); ++i) {
        From v;
        std::memcpy(&v, bytes.data() + i * sizeof(From), sizeof(From));
        out[i] = number_as<T>(v, arrays, name);
    }
    return out;
}

}  // namespace

void VtuArrays::wrong(const std::string& what) const { throw InputError(name_ + ": " + what); }

VtuArrays::VtuArrays(std::string content, std::string name) : content_(std::move(content)), name_(std::move(name)) {
    // What is appended raw is no XML.
    const std::size_t at = content_.find("<AppendedData");
    std::string head = content_;
    if (at != std::string::npos) {
        const std::size_t begin = content_.find('_', at);
        if (begin == std::string::npos) wrong("the appended data does not begin with \"_\"");
        is_base64_ = std::string_view(content_).substr(at, begin - at).find("base64") != std::string_view::npos;
        appended_ = std::string_view(content_).substr(begin + 1);
        head = content_.substr(0, at) + "</VTKFile>";
    }
    if (const pugi::xml_parse_result parsed = xml_.load_string(head.c_str()); !parsed)
        wrong(fmt::format("the XML is damaged: {}", parsed.description()));
    const pugi::xml_node top = xml_.child("VTKFile");
    if (!top) wrong("this is no VTU file: it does not begin with <VTKFile>");
    if (std::string_view(top.attribute("byte_order").as_string("LittleEndian")) != "LittleEndian")
        wrong("only little-endian files are read");
    head_ = std::string_view(top.attribute("header_type").as_string("UInt32")) == "UInt64" ? 8 : 4;
    const std::string_view compressor = top.attribute("compressor").value();
    is_compressed_ = !compressor.empty();
    if (is_compressed_ && compressor != "vtkZLibDataCompressor")
        wrong(fmt::format("it is compressed by {}; zlib is read", compressor));
    for (const auto& found : xml_.select_nodes("//DataArray[@format='appended']"))
        offsets_.push_back(static_cast<std::size_t>(found.node().attribute("offset").as_ullong()));
    std::sort(offsets_.begin(), offsets_.end());
}

std::uint64_t VtuArrays::number_at(std::string_view bytes, std::size_t place) const {
    if (place > bytes.size() || bytes.size() - place < head_) wrong("truncated in the data");
    std::uint64_t value = 0;
    std::memcpy(&value, bytes.data() + place, head_);
    return value;
}

/// What is after a head, without its compression.
std::string VtuArrays::unpacked(std::string_view bytes) const {
    if (!is_compressed_) {
        const std::uint64_t n = number_at(bytes, 0);
        if (n > bytes.size() - head_) wrong("truncated in the data");
        return std::string(bytes.substr(head_, n));
    }
    const std::uint64_t n_blocks = number_at(bytes, 0);
    if (n_blocks == 0) return {};
    const std::uint64_t block = number_at(bytes, head_), last = number_at(bytes, 2 * head_);
    if (n_blocks > bytes.size() / head_ || block > (std::uint64_t{1} << 32) || last > block)
        wrong("an array's head makes no sense");
    std::string out;
    std::size_t place = head_ * (3 + n_blocks);
    for (std::uint64_t k = 0; k < n_blocks; ++k) {
        const std::uint64_t size = number_at(bytes, head_ * (3 + k));
        if (place > bytes.size() || size > bytes.size() - place) wrong("truncated in the data");
        const std::uint64_t full = k + 1 == n_blocks && last > 0 ? last : block;
        // zlib shrinks by a factor of about 1000 at most: a head that claims more is a lie.
        if (full > 1100 * size + 64) wrong("an array's head makes no sense");
        const std::size_t start = out.size();
        out.resize(start + full);
        uLongf length = full;
        if (uncompress(reinterpret_cast<Bytef*>(out.data() + start), &length,
                       reinterpret_cast<const Bytef*>(bytes.data() + place), size) != Z_OK ||
            length != full)
            wrong("the compressed data is damaged");
        place += size;
    }
    return out;
}

std::string VtuArrays::payload(const pugi::xml_node& node) const {
    const std::string_view format = node.attribute("format").value();
    if (format == "binary") return unpacked(decoded_base64(node.text().get()));
    const auto offset = static_cast<std::size_t>(node.attribute("offset").as_ullong());
    if (format != "appended" || appended_.empty())
        wrong(fmt::format("the array \"{}\" is in a form that is not read: \"{}\"", node.attribute("Name").value(),
                          format));
    if (offset > appended_.size()) wrong("truncated in the appended data");
    if (!is_base64_) return unpacked(appended_.substr(offset));
    const auto next = std::upper_bound(offsets_.begin(), offsets_.end(), offset);
    const std::size_t end = next == offsets_.end() ? appended_.size() : std::min(*next, appended_.size());
    return unpacked(decoded_base64(appended_.substr(offset, end - offset)));
}

template <typename T>
std::vector<T> VtuArrays::values(const pugi::xml_node& node) const {
    const std::string_view type = node.attribute("type").value();
    const char* name = node.attribute("Name").value();
    if (std::string_view(node.attribute("format").value()) == "ascii") {
        std::vector<T> out;
        const char* at = node.text().get();
        for (char* end = nullptr;; at = end) {
            const double v = std::strtod(at, &end);
            if (end == at) break;
            out.push_back(number_as<T>(v, *this, name));
        }
        while (*at == ' ' || *at == '\n' || *at == '\r' || *at == '\t') ++at;
        if (*at != 0) wrong(fmt::format("the array \"{}\" has something that is no number: \"{:.12}\"", name, at));
        return out;
    }
    const std::string bytes = payload(node);
    if (type == "Float64") return converted<T, double>(bytes, *this, name);
    if (type == "Float32") return converted<T, float>(bytes, *this, name);
    if (type == "Int64") return converted<T, std::int64_t>(bytes, *this, name);
    if (type == "UInt64") return converted<T, std::uint64_t>(bytes, *this, name);
    if (type == "Int32") return converted<T, std::int32_t>(bytes, *this, name);
    if (type == "UInt32") return converted<T, std::uint32_t>(bytes, *this, name);
    if (type == "Int16") return converted<T, std::int16_t>(bytes, *this, name);
    if (type == "UInt16") return converted<T, std::uint16_t>(bytes, *this, name);
    if (type == "Int8") return converted<T, std::int8_t>(bytes, *this, name);
    if (type == "UInt8") return converted<T, std::uint8_t>(bytes, *this, name);
    wrong(fmt::format("the array \"{}\" is of the type \"{}\", which is not read", name, type));
}

template std::vector<double> VtuArrays::values(const pugi::xml_node&) const;
template std::vector<std::int64_t> VtuArrays::values(const pugi::xml_node&) const;
template std::vector<std::int32_t> VtuArrays::values(const pugi::xml_node&) const;
template std::vector<std::uint8_t> VtuArrays::values(const pugi::xml_node&) const;

}  // namespace anvilcast::io
