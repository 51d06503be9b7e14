// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: any bytes as an archive. All that a person could do with it: list it, look at every property, read every
// sample, check, step, write it again.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>

#include <nlohmann/json.hpp>
#include <unistd.h>

#include "checks/measured.h"
#include "formats/abc/abc.h"
#include "report/report.h"
#include "scene/instances.h"
#include "scene/stand_in.h"
#include "steps/step.h"

namespace {

std::string scratch(const char* name) {
    static const std::string kFolder = [] {
        std::string pattern = "/dev/shm/wychronos-fuzz-XXXXXX";
        return std::string(mkdtemp(pattern.data()) ? pattern : "/tmp");
    }();
    return kFolder + "/" + name;
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace wyc;
    const std::string path = scratch("input.abc");
    {
        std::FILE* file = std::fopen(path.c_str(), "wb");
        if (!file)
            return 0;
        std::fwrite(data, 1, size, file);
        std::fclose(file);
    }
    (void)abc::structure(path);
    const auto source = openSource({path, {}, {}, false}, FrameRate());
    if (!source)
        return 0;
    (void)sourceInfo(**source, true);
    const Scene shown = withStandIns((*source)->scene);
    if (auto items = measuredItems(**source, shown, false, Progress())) {
        CheckInput input;
        input.items = std::move(*items);
        (void)runChecks(input);
    }
    for (const char* step : {"world", "merge", "split"})
        if (const auto stepped = applySteps((*source)->scene, {{step, nlohmann::json::object(), true}}))
            (void)formatById("alembic")->write(*stepped, scratch("stepped.abc"), {}, Progress());
    (void)formatById("alembic")->write((*source)->scene, scratch("again.abc"), {}, Progress());
    return 0;
}
