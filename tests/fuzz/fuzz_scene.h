// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// All that a person could do with a source: list it, look at every property, read every sample, check, step, write it.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <string_view>

#include <nlohmann/json.hpp>
#include <unistd.h>

#include "checks/measured.h"
#include "report/report.h"
#include "scene/instances.h"
#include "scene/stand_in.h"
#include "steps/step.h"

namespace wyc::fuzz {

inline std::string scratch(const std::string& name) {
    static const std::string kFolder = [] {
        std::string pattern = "/dev/shm/wychronos-fuzz-XXXXXX";
        return std::string(mkdtemp(pattern.data()) ? pattern : "/tmp");
    }();
    return kFolder + "/" + name;
}

inline std::string written(const std::string& name, std::string_view bytes) {
    const std::string path = scratch(name);
    if (std::FILE* file = std::fopen(path.c_str(), "wb")) {
        std::fwrite(bytes.data(), 1, bytes.size(), file);
        std::fclose(file);
    }
    return path;
}

inline void doEverything(const std::string& path) {
    const auto source = openSource({path, {}, {}, false}, FrameRate());
    if (!source)
        return;
    if ((*source)->format->structure)
        (void)(*source)->format->structure(path);
    (void)sourceInfo(**source, true);
    (void)sampleDocument(**source, {0.0, 1.5}, "", true);
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
}

} // namespace wyc::fuzz
