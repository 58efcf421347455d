// Keys and checks: XXH3 with 128 bits, of which no two different contents are expected to have the same.
#pragma once

#include <anvilcast/kept.hpp>

#include <memory>
#include <string>

#include "pipeline/kept/records.hpp"

namespace anvilcast::kept {

class Hasher final : public Sink {
  public:
    Hasher();
    ~Hasher() override;
    void put(const void* bytes, std::size_t n) override;
    ContentHash value() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// In 32 hexadecimal digits.
std::string text_of(const ContentHash& hash);

/// Of values, told to an archive; the key of what is made from them.
template <typename... T>
ContentHash key_of(const T&... values) {
    Hasher hasher;
    Writer{hasher}(values...);
    return hasher.value();
}

}  // namespace anvilcast::kept
