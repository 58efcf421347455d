#include "figures/page_parts.hpp"

// The assembler puts each file into the read-only data, between two names.
#define ANVILCAST_EMBED(name, path)                                                                    \
    __asm__(".pushsection .rodata\n.global anvilcast_" #name "\nanvilcast_" #name ":\n.incbin \"" path \
            "\"\n.global anvilcast_" #name "_end\nanvilcast_" #name "_end:\n.byte 0\n.popsection\n");  \
    extern "C" {                                                                                       \
    __attribute__((visibility("hidden"))) extern const char anvilcast_##name[];                        \
    __attribute__((visibility("hidden"))) extern const char anvilcast_##name##_end[];                  \
    }

ANVILCAST_EMBED(page_style, ANVILCAST_PAGE "/page.css")
ANVILCAST_EMBED(view_script, ANVILCAST_PAGE "/view.js")
ANVILCAST_EMBED(report_script, ANVILCAST_PAGE "/report.js")
ANVILCAST_EMBED(inspection_script, ANVILCAST_PAGE "/inspection.js")
ANVILCAST_EMBED(study_script, ANVILCAST_PAGE "/study.js")
ANVILCAST_EMBED(three_library, ANVILCAST_THREE "/build/three.min.js")
ANVILCAST_EMBED(orbit_library, ANVILCAST_THREE "/examples/js/controls/OrbitControls.js")

namespace anvilcast::figures {

#define ANVILCAST_PART(name) \
    std::string_view name() { return {anvilcast_##name, anvilcast_##name##_end}; }

ANVILCAST_PART(page_style)
ANVILCAST_PART(view_script)
ANVILCAST_PART(report_script)
ANVILCAST_PART(inspection_script)
ANVILCAST_PART(study_script)
ANVILCAST_PART(three_library)
ANVILCAST_PART(orbit_library)

}  // namespace anvilcast::figures
