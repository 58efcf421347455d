// The data arrays of a VTU file in all of their forms: text, base64 or raw, inline or appended, compressed or not, with
// 32- or 64-bit heads.
#pragma once

#include <pugixml.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast::io {

class VtuArrays {
  public:
    /// `content`: of the whole file. Throws InputError when its XML is damaged or it is of another byte order.
    VtuArrays(std::string content, std::string name);

    const pugi::xml_document& xml() const { return xml_; }

    /// Values of any numeric type as T. Throws InputError for an array that is damaged, cut off, or of a type that is
    /// none, and for a number that a T cannot hold.
    template <typename T>
    std::vector<T> values(const pugi::xml_node& node) const;

    [[noreturn]] void wrong(const std::string& what) const;

  private:
    std::string payload(const pugi::xml_node& node) const;
    std::string unpacked(std::string_view bytes) const;
    std::uint64_t number_at(std::string_view bytes, std::size_t place) const;

    std::string content_, name_;
    std::string_view appended_;  // behind its "_"
    bool is_base64_ = false, is_compressed_ = false;
    std::size_t head_ = 8;              // bytes of a number in heads
    std::vector<std::size_t> offsets_;  // of the appended arrays, ascending
    pugi::xml_document xml_;
};

}  // namespace anvilcast::io
