// Plain data as bytes and back, between processes of one machine.
#pragma once

#include <anvilcast/errors.hpp>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

namespace anvilcast::io {

class ArchiveWriter {
  public:
    /// Takes bytes as they come.
    using Sink = std::function<void(std::string_view)>;
    explicit ArchiveWriter(Sink sink) : sink_(std::move(sink)) {}

    template <typename T>
    void add(const T& value) requires std::is_trivially_copyable_v<T> {
        sink_({reinterpret_cast<const char*>(&value), sizeof value});
    }
    void add(const std::string& text) {
        add(std::uint64_t{text.size()});
        sink_(text);
    }
    template <typename T>
    void add(const std::vector<T>& list) {
        add(std::uint64_t{list.size()});
        if constexpr (std::is_trivially_copyable_v<T>)
            sink_({reinterpret_cast<const char*>(list.data()), list.size() * sizeof(T)});
        else
            for (const T& item : list) add(item);
    }
    /// The same, and lets go of the list.
    template <typename T>
    void hand_over(std::vector<T>& list) {
        add(list);
        std::vector<T>().swap(list);
    }

    /// As ArchiveReader has them, so that one description of a structure goes both ways. Lists are let go of.
    template <typename T>
    void pass(T& value) {
        if constexpr (requires {
                          value.clear();
                          value.shrink_to_fit();
                      } &&
                      !std::is_same_v<T, std::string>)
            hand_over(value);
        else
            add(value);
    }
    template <typename T, typename Pass>
    void pass_list(std::vector<T>& list, const Pass& pass_item) {
        add(std::uint64_t{list.size()});
        for (T& item : list) pass_item(*this, item);
    }

  private:
    Sink sink_;
};

/// Throws InputError where sizes make no sense: who wrote them may have been damaged.
class ArchiveReader {
  public:
    /// Fills a room with the bytes that come next, or throws.
    using Source = std::function<void(char*, std::size_t)>;
    ArchiveReader(Source source, std::size_t most) : source_(std::move(source)), most_(most) {}

    template <typename T>
    void take(T& value) requires std::is_trivially_copyable_v<T> {
        source_(reinterpret_cast<char*>(&value), sizeof value);
    }
    void take(std::string& text) {
        text.resize(take_size(1));
        source_(text.data(), text.size());
    }
    template <typename T>
    void take(std::vector<T>& list) {
        list.resize(take_size(sizeof(T)));
        if constexpr (std::is_trivially_copyable_v<T>)
            source_(reinterpret_cast<char*>(list.data()), list.size() * sizeof(T));
        else
            for (T& item : list) take(item);
    }
    template <typename T>
    void pass(T& value) {
        take(value);
    }
    /// Items one by one: a size that makes no sense runs out of bytes before it runs out of memory.
    template <typename T, typename Pass>
    void pass_list(std::vector<T>& list, const Pass& pass_item) {
        std::uint64_t n = 0;
        take(n);
        for (std::uint64_t k = 0; k < n; ++k) pass_item(*this, list.emplace_back());
    }
    [[noreturn]] static void refuse() { throw InputError("what was read is damaged"); }

  private:
    std::size_t take_size(std::size_t each) {
        std::uint64_t n = 0;
        take(n);
        if (n > most_ / each) refuse();
        return n;
    }
    Source source_;
    std::size_t most_;  // bytes of one list
};

}  // namespace anvilcast::io
