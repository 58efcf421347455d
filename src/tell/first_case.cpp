#include <anvilcast/first_case.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "tell/json_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

std::string first_case_text(const FirstCase& first, const std::string& case_file) {
    const std::string flow = first.is_around        ? "the flow round the bodies"
                             : first.n_openings > 0 ? fmt::format("the flow through {} opening{}", first.n_openings,
                                                                  first.n_openings == 1 ? "" : "s")
                                                    : "what is enclosed";
    std::string text = fmt::format("Written to {}: {}, about {} cells{}\n", case_file, flow,
                                   format_count(static_cast<std::size_t>(first.cells)),
                                   first.has_layers ? ", with layers on the walls" : "");
    if (!first.guesses.empty()) text += "\nLook at what was guessed:\n";
    for (const std::string& guess : first.guesses) text += fmt::format("  {}\n", guess);
    return text + fmt::format("\nNext:\n  anvilcast plan {}\n  anvilcast build {} --out made\n", case_file, case_file);
}

std::string first_case_json(const FirstCase& first, const std::string& case_file) {
    return tell::dumped({{"case", case_file},
                   {"is_around", first.is_around},
                   {"openings", first.n_openings},
                   {"layers", first.has_layers},
                   {"cells", first.cells},
                   {"guesses", first.guesses}});
}

}  // namespace anvilcast
