// How a build makes a stage: reads it back, or makes and keeps it.
#pragma once

#include <anvilcast/context.hpp>

#include "pipeline/kept/case_fields.hpp"
#include "pipeline/kept/store.hpp"
#include "pipeline/prepare.hpp"

namespace anvilcast::kept {

/// Stages of one build; without a place to keep them they are made, and that is all.
class Stages {
  public:
    Stages(KeptStages* kept, const Context& context, Stopwatch& watch)
        : store_(kept != nullptr ? &kept->store() : nullptr), context_(context), watch_(watch) {}

    bool is_keeping() const { return store_ != nullptr; }
    /// The keys of a case, by `keys_of`. Where they cannot be had, since a file is missing, nothing is kept: the stage
    /// that reads the file says what is wrong.
    template <typename KeysOf>
    auto keys(const KeysOf& keys_of) -> decltype(keys_of()) {
        if (store_ != nullptr) {
            try {
                return keys_of();
            } catch (const InputError&) {
                store_ = nullptr;
            }
        }
        return {};
    }
    std::vector<std::string> warnings() const {
        return store_ != nullptr ? store_->warnings() : std::vector<std::string>{};
    }

    /// False, and the values as they were when default made, where they are not kept.
    template <typename... T>
    bool load(const char* name, const ContentHash& key, T&... values) {
        if (store_ == nullptr) return false;
        if (store_->load(name, key, values...)) return true;
        ((values = T{}), ...);
        return false;
    }

    /// `make` fills the values in. Returns whether they were kept already.
    template <typename Make, typename... T>
    bool make(const char* name, const ContentHash& key, const Make& make, T&... values) {
        bool is_kept = load(name, key, values...);
        if (!is_kept) is_kept = make_or_await(name, key, make, values...);
        watch_.lap(name, is_kept);
        return is_kept;
    }

    /// Makes and keeps values that are known not to be there; two builds that come to it at once both make them.
    template <typename Make, typename... T>
    void keep(const char* name, const ContentHash& key, const Make& make, const T&... values) {
        make();
        if (store_ != nullptr) store_->save(name, key, values...);
    }

    /// Keeps what was warned of up to a stage: a plan tells it again while the stage would come out the same.
    void keep_warnings(const ContentHash& key, const std::vector<std::string>& told) {
        if (store_ != nullptr) store_->save(kWarnings, key, told);
    }
    static constexpr const char* kWarnings = "warnings";

  private:
    template <typename Make, typename... T>
    bool make_or_await(const char* name, const ContentHash& key, const Make& make, T&... values) {
        if (store_ == nullptr) {
            make();
            return false;
        }
        const auto claim = store_->claim(name, key, context_);
        if (load(name, key, values...)) return true;
        make();
        store_->save(name, key, values...);
        return false;
    }

    KeptStages::Store* store_;
    const Context& context_;
    Stopwatch& watch_;
};

}  // namespace anvilcast::kept
