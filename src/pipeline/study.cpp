// The tables of the case are read again for each variant, its values put in, and the case read from them: so what is
// wrong with a value is found before anything is built, and told with the variant.

#include <anvilcast/study.hpp>

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/names.hpp"
#include "case/tables.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

/// More variants than this are a mistake rather than a study.
constexpr std::size_t kMostVariants = 10'000;

/// One [[vary]].
struct Axis {
    std::string name, key;
    bool is_scale = false, is_together = false;
    const toml::array* values = nullptr;
    std::vector<std::string> names;
    NodePlace place;
    std::size_t size() const { return values->size(); }
};

std::string text_of_value(const toml::node& value) {
    if (const auto text = value.value<std::string>()) return *text;
    if (value.is_floating_point()) return fmt::format("{}", Section::number_of(value));
    std::ostringstream out;
    value.visit([&out](const auto& v) { out << v; });
    return out.str();
}

class StudyReader {
  public:
    explicit StudyReader(const fs::path& file) : file_(file), text_(io::read_file(file)) {
        own_ = read_tables(text_, file_);
        case_file_ = file_;
        case_text_ = text_;
        Section top(own_, "the study's file", file_.string(), {});
        if (const toml::table* study = own_["study"].as_table()) read_head(*study);
        read_axes(top);
    }

    Study read() {
        Study study;
        study.name = name_;
        for (const Axis& axis : axes_) {
            study.columns.push_back(axis.name);
            study.axis_of.push_back(study.axis_of.empty() ? 0 : study.axis_of.back() + (axis.is_together ? 0 : 1));
        }
        std::vector<std::size_t> at(axes_.size(), 0);
        std::set<std::string> names;
        do {
            study.variants.push_back(variant(at));
            if (const std::string& name = study.variants.back().name; !names.insert(name).second)
                fail(axes_.back(), fmt::format("two variants would be called \"{}\"; give them names = [...]", name));
            if (study.variants.size() > kMostVariants)
                fail(axes_.back(), fmt::format("there would be more than {} variants", kMostVariants));
        } while (advance(at));
        return study;
    }

  private:
    [[noreturn]] void fail(const Axis& axis, const std::string& what) const {
        throw InputError(
            fmt::format("{}, line {}: [[vary]] \"{}\": {}", file_.string(), axis.place.line, axis.name, what));
    }

    void read_head(const toml::table& table) {
        Section s(table, "[study]", file_.string(), {});
        name_ = s.text("name").value_or(file_.stem().string());
        if (const auto name = s.text("case")) {
            case_file_ = file_.parent_path() / *name;
            case_text_ = io::read_file(case_file_);
        }
        s.finish();
    }

    void read_axes(Section& top) {
        const toml::array* list = own_["vary"].as_array();
        if (list == nullptr || list->empty())
            top.fail(1, "there is no [[vary]]; write [[vary]], key = \"sizing.surface\" and values = [8, 4]");
        for (const toml::node& item : *list) {
            const toml::table* table = item.as_table();
            if (table == nullptr)
                top.fail(Section::line_of(item), "\"vary\" must be a list of tables, written [[vary]]");
            axes_.push_back(read_axis(*table));
        }
    }

    Axis read_axis(const toml::table& table) {
        Section s(table, "[[vary]]", file_.string(), {});
        Axis axis;
        axis.place = {s.line(), file_.string()};
        const auto key = s.text("key");
        const toml::node *values = s.find("values"), *scale = s.find("scale");
        if (scale != nullptr && (key || values != nullptr)) s.fail("[[vary]] has scale, or key and values, not both");
        if (scale == nullptr && (!key || values == nullptr))
            s.fail("[[vary]] needs key and values, e.g. key = \"sizing.surface\", values = [8, 4], or scale = [2, 1]");
        axis.is_scale = scale != nullptr;
        axis.key = key.value_or("");
        axis.values = (scale != nullptr ? scale : values)->as_array();
        if (axis.values == nullptr || axis.values->empty())
            s.fail(fmt::format("[[vary]] {} must be a list of one value or more", axis.is_scale ? "scale" : "values"));
        axis.name = s.text("name").value_or(axis.is_scale ? "scale" : axis.key.substr(axis.key.rfind('.') + 1));
        for (const toml::node& value : *axis.values) {
            if (axis.is_scale && (!value.is_number() || !(Section::number_of(value) > 0)))
                s.fail("[[vary]] scale must be a list of positive numbers");
            axis.names.push_back(text_of_value(value));
        }
        if (auto names = s.texts("names")) {
            if (names->size() != axis.size())
                s.fail(fmt::format("[[vary]] has {} values and {} names", axis.size(), names->size()));
            axis.names = std::move(*names);
        }
        axis.is_together = s.truth("together").value_or(false);
        if (axis.is_together && axes_.empty()) s.fail("[[vary]] together = true: there is none before it to go with");
        if (axis.is_together && axes_.back().size() != axis.size())
            s.fail(fmt::format("[[vary]] together = true: it has {} values, the one before it {}", axis.size(),
                               axes_.back().size()));
        s.finish();
        return axis;
    }

    /// To the next combination; false after the last one.
    bool advance(std::vector<std::size_t>& at) const {
        for (std::size_t i = axes_.size(); i-- > 0;) {
            if (axes_[i].is_together) continue;
            const bool is_last = at[i] + 1 == axes_[i].size();
            at[i] = is_last ? 0 : at[i] + 1;
            for (std::size_t k = i + 1; k < axes_.size() && axes_[k].is_together; ++k) at[k] = at[i];
            if (!is_last) return true;
        }
        return false;
    }

    StudyVariant variant(const std::vector<std::size_t>& at) const {
        StudyVariant out;
        toml::table tables = read_tables(case_text_, case_file_);
        for (std::size_t i = 0; i < axes_.size(); ++i) {
            const toml::node& value = (*axes_[i].values)[at[i]];
            out.values.push_back(axes_[i].names[at[i]]);
            // Together they have one name.
            if (!axes_[i].is_together) out.name += (out.name.empty() ? "" : "-") + out.values.back();
            try {
                if (axes_[i].is_scale)
                    scale_lengths(tables, Section::number_of(value));
                else
                    set_value(tables, axes_[i].key, value);
            } catch (const InputError& e) {
                fail(axes_[i], e.what());
            }
        }
        out.name = directory_name(out.name);
        tables.erase("vary");
        tables.erase("study");
        try {
            out.c = case_of_tables(tables, case_file_, text_of_tables(tables));
        } catch (const InputError& e) {
            throw InputError(fmt::format("variant \"{}\": {}", out.name, e.what()));
        }
        return out;
    }

    static std::string directory_name(const std::string& name) {
        std::string out = base::tidy_name(name);
        std::replace(out.begin(), out.end(), '/', '_');
        std::replace(out.begin(), out.end(), ' ', '_');
        return out.starts_with('.') ? "_" + out.substr(1) : out;
    }

    fs::path file_, case_file_;
    std::string text_, case_text_, name_;
    toml::table own_;
    std::vector<Axis> axes_;
};

}  // namespace

Study read_study(const fs::path& file) {
    StudyReader reader(file);
    Study study = reader.read();
    if (study.name.empty()) study.name = file.stem().string();
    return study;
}

std::string case_text_of(const StudyVariant& variant) {
    toml::table tables = read_tables(variant.c.text, variant.c.file);
    make_files_relative_to(tables, fs::absolute(variant.c.file).parent_path());
    return text_of_tables(tables);
}

}  // namespace anvilcast
