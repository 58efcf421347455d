// Values written down as bytes and read back. A struct tells its members to an archive by a function fields(), which
// takes it apart with a structured binding: a member that is added and not told does not compile. The same functions
// write files, read them, and make keys of what a stage is given.
#pragma once

#include <anvilcast/vectors.hpp>

#include <array>
#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>

namespace anvilcast::kept {

/// What was read is not what was written; told to nobody but whoever keeps things.
class Damaged : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

/// Where bytes go.
class Sink {
  public:
    virtual ~Sink() = default;
    virtual void put(const void* bytes, std::size_t n) = 0;
};

/// Where they come from. Throws Damaged when there are no more.
class Source {
  public:
    virtual ~Source() = default;
    virtual void get(void* bytes, std::size_t n) = 0;
    /// That are left at most: no list is longer.
    virtual std::size_t n_left() const = 0;
};

/// Values that are their bytes, without gaps between members.
template <typename T>
inline constexpr bool is_plain = std::is_arithmetic_v<T> || std::is_enum_v<T>;
template <>
inline constexpr bool is_plain<Vec2> = true;
template <>
inline constexpr bool is_plain<Vec3> = true;
template <typename T, std::size_t N>
inline constexpr bool is_plain<std::array<T, N>> = is_plain<T>;

class Writer {
  public:
    static constexpr bool is_reading = false;
    explicit Writer(Sink& sink) : sink_(sink) {}

    template <typename... T>
    void operator()(const T&... values) {
        (write(values), ...);
    }

  private:
    template <typename T>
    void write(const T& v) {
        if constexpr (is_plain<T>)
            sink_.put(&v, sizeof v);
        else
            fields(*this, const_cast<T&>(v));  // NOLINT: fields() serves reading too; a writer changes nothing
    }
    void write(const std::string& s) { write_list(s.data(), s.size()); }
    void write(const std::filesystem::path& p) { write(p.string()); }
    template <typename T>
    void write(const std::vector<T>& list) {
        write_list(list.data(), list.size());
    }
    void write(const std::vector<bool>& list) {
        write(std::uint64_t{list.size()});
        for (const bool is : list) write(is);
    }
    template <typename T>
    void write_list(const T* first, std::size_t n) {
        write(std::uint64_t{n});
        if constexpr (is_plain<T>)
            sink_.put(first, n * sizeof(T));
        else
            for (std::size_t i = 0; i < n; ++i) write(first[i]);
    }
    template <typename T, std::size_t N>
    void write(const std::array<T, N>& list) {
        for (const T& item : list) write(item);
    }
    template <typename T>
    void write(const std::optional<T>& value) {
        write(value.has_value());
        if (value) write(*value);
    }
    template <typename T>
    void write(const std::shared_ptr<const T>& value) {
        write(value != nullptr);
        if (value) write(*value);
    }
    template <typename A, typename B>
    void write(const std::pair<A, B>& p) {
        (*this)(p.first, p.second);
    }
    template <typename K, typename V>
    void write(const std::map<K, V>& map) {
        write(std::uint64_t{map.size()});
        for (const auto& item : map) write(item);
    }
    template <typename... T>
    void write(const std::variant<T...>& v) {
        write(std::uint64_t{v.index()});
        std::visit([&self = *this](const auto& value) { self.write(value); }, v);
    }

    Sink& sink_;
};

class Reader {
  public:
    static constexpr bool is_reading = true;
    explicit Reader(Source& source) : source_(source) {}

    template <typename... T>
    void operator()(T&... values) {
        (read(values), ...);
    }

  private:
    std::size_t read_count(std::size_t least_bytes) {
        std::uint64_t n = 0;
        read(n);
        if (n > source_.n_left() / least_bytes) throw Damaged("a list is longer than what holds it");
        return static_cast<std::size_t>(n);
    }
    template <typename T>
    void read(T& v) {
        if constexpr (is_plain<T>)
            source_.get(&v, sizeof v);
        else
            fields(*this, v);
    }
    void read(std::string& s) {
        s.resize(read_count(1));
        source_.get(s.data(), s.size());
    }
    template <typename T>
    void read(std::vector<T>& list) {
        if constexpr (is_plain<T>) {
            list.resize(read_count(sizeof(T)));
            source_.get(list.data(), list.size() * sizeof(T));
        } else {
            list.clear();
            for (std::size_t n = read_count(1); n > 0; --n) {
                list.emplace_back();
                read(list.back());
            }
        }
    }
    void read(std::vector<bool>& list) {
        list.resize(read_count(1));
        for (std::size_t i = 0; i < list.size(); ++i) {
            bool is = false;
            read(is);
            list[i] = is;
        }
    }
    template <typename T, std::size_t N>
    void read(std::array<T, N>& list) {
        if constexpr (is_plain<T>)
            source_.get(list.data(), sizeof list);
        else
            for (T& item : list) read(item);
    }
    template <typename T>
    void read(std::optional<T>& value) {
        bool has_value = false;
        read(has_value);
        value.reset();
        if (has_value) read(value.emplace());
    }
    template <typename T>
    void read(std::shared_ptr<const T>& value) {
        bool has_value = false;
        read(has_value);
        value.reset();
        if (!has_value) return;
        auto made = std::make_shared<T>();
        read(*made);
        value = std::move(made);
    }
    template <typename A, typename B>
    void read(std::pair<A, B>& p) {
        (*this)(p.first, p.second);
    }
    template <typename K, typename V>
    void read(std::map<K, V>& map) {
        map.clear();
        for (std::size_t n = read_count(1); n > 0; --n) {
            std::pair<K, V> item;
            read(item);
            map.insert(std::move(item));
        }
    }
    template <typename... T>
    void read(std::variant<T...>& v) {
        std::uint64_t index = 0;
        read(index);
        if (index >= sizeof...(T)) throw Damaged("there is no such alternative");
        read_alternative(v, index, std::index_sequence_for<T...>());
    }
    template <typename Variant, std::size_t... I>
    void read_alternative(Variant& v, std::uint64_t index, std::index_sequence<I...>) {
        ((index == I ? read(v.template emplace<I>()) : void()), ...);
    }

    Source& source_;
};

}  // namespace anvilcast::kept
