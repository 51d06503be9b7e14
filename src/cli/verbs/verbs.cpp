// SPDX-License-Identifier: GPL-3.0-or-later
#include "verbs/verbs.h"

namespace wyc::cli {

const std::vector<Verb>& verbs() {
    static const std::vector<Verb> kVerbs{
        {"info", "What is in a source: items, counts, ranges, rate, unit, axis", "Example: wyc info jelly.abc --json",
         &declareInfo},
        {"sample", "Values at a frame: points, matrix, visibility",
         "Example: wyc sample jelly.mdd --rest jelly.obj --at 1009 --json", &declareSample},
        {"check", "Findings: what is wrong, where, how much, and what to do",
         "A job (.wyc) as the source brings its shot, its sources and its steps.\nExample: wyc "
         "check returns/ --range 1009:1128 --handles 8 --rate 24",
         &declareCheck},
        {"convert", "One way through: sources in, one target out",
         "Example: wyc convert jelly.mdd --rest jelly.obj --unit cm:m --up Z:Y -o jelly.abc", &declareConvert},
        {"loop", "Where it could loop, a closed loop, whether a loop closes", "", &declareLoop},
        {"retime", "Frames along a curve", "Example: wyc retime jelly.abc --curve 'x0.5' -o jelly_slow.abc",
         &declareRetime},
        {"compare", "How far B is from A, and why",
         "Example: wyc compare jelly.abc returned/jelly.mdd --explain --apply mended.abc", &declareCompare},
        {"order", "Which point of B is which point of A, as a file for the step Reorder",
         "Example: wyc order jelly.abc returned/jelly.abc -o jelly.order.json", &declareOrder},
        {"job", "Makes and changes a job: sources, shot, steps, deliveries",
         "Example: wyc job sh040.wyc --new --add returns/ --range 1009:1128 --handles 8 --rate 24\n"
         "         wyc job sh040.wyc --items '*jelly*' --step \"unit from=cm to=m\" --delivery layout "
         "--format alembic --folder out",
         &declareJob},
        {"deliver", "A job's deliveries, each proven and recorded",
         "Example: wyc deliver lantern_shoal.wyc --only 'lantern*'", &declareDeliver},
        {"prove", "Proof again, later, elsewhere", "Example: wyc prove sh040_lantern_jelly_v001.abc", &declareProve},
        {"formats", "What each format keeps, converts and loses", "Example: wyc formats --json", &declareFormats},
        {"steps", "Every step of a chain, with its options", "Example: wyc steps trim", &declareSteps},
        {"demo", "Writes the demo scenario into a new folder", "Example: wyc demo /tmp/lantern", &declareDemo},
        {"pages", "Writes the man page and shell completions (for packagers)", "", &declarePages, false},
    };
    return kVerbs;
}

} // namespace wyc::cli
