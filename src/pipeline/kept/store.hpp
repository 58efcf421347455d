// Files of kept stages: <stage>-<key>.kept, each a head (what it is, the format, its key), the record, and a hash of
// all of that. A file is checked as a whole before anything of it is believed.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/kept.hpp>

#include <mutex>
#include <optional>

#include "pipeline/kept/records.hpp"

namespace anvilcast {

class KeptStages::Store {
  public:
    Store(std::filesystem::path directory, double most_bytes, bool is_fresh);

    const std::filesystem::path& directory() const { return directory_; }
    std::vector<std::string> warnings() const;

    /// While it is held nobody else makes the same stage. Waits for whoever does; throws Cancelled when the context
    /// asks to stop meanwhile.
    class Claim {
      public:
        Claim(const std::filesystem::path& directory, const std::string& name, const Context& context);
        ~Claim();
        Claim(const Claim&) = delete;
        Claim& operator=(const Claim&) = delete;

      private:
        std::filesystem::path file_;
        /// Directories that were not there before and go again if nothing comes to be in them, the innermost first.
        std::vector<std::filesystem::path> made_;
        int lock_ = -1;
    };
    std::unique_ptr<Claim> claim(const std::string& stage, const ContentHash& key, const Context& context) const;

    /// Reads values back, in the order in which they were kept; false where they are not there, do not check, or
    /// everything is to be made anew.
    template <typename... T>
    bool load(const std::string& stage, const ContentHash& key, T&... values) {
        const auto source = checked(stage, key);
        if (!source) return false;
        try {
            kept::Reader{*source}(values...);
            if (source->n_left() == 0) return true;
            warn_of_damage(stage, key, "there is more than was kept");
        } catch (const kept::Damaged& e) {
            warn_of_damage(stage, key, e.what());
        }
        return false;
    }
    template <typename... T>
    void save(const std::string& stage, const ContentHash& key, const T&... values) {
        save_by(stage, key, [&](kept::Sink& sink) { kept::Writer{sink}(values...); });
    }

  private:
    std::filesystem::path file_of(const std::string& stage, const ContentHash& key) const;
    std::unique_ptr<kept::Source> checked(const std::string& stage, const ContentHash& key);
    void save_by(const std::string& stage, const ContentHash& key, const std::function<void(kept::Sink&)>& write);
    void warn_of_damage(const std::string& stage, const ContentHash& key, const std::string& what);
    void make_room(const std::filesystem::path& newest) const;

    std::filesystem::path directory_;
    double most_bytes_;
    bool is_fresh_;
    mutable std::mutex mutex_;
    std::vector<std::string> warnings_;
};

}  // namespace anvilcast
