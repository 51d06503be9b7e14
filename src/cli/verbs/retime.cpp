// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include <fmt/format.h>

#include "base/text.h"
#include "converted.h"
#include "declare.h"
#include "verbs/verbs.h"

namespace wyc::cli {
namespace {

using nlohmann::json;

struct RetimeArguments {
    ConvertArguments convert;
    std::string curve; // a text or a file
    bool smooth = false;
    bool curved = false;
    std::string beyond;
    std::string until;
};

int runRetime(const Common& common, const RetimeArguments& arguments) {
    const TerminalProgress terminal(common);
    ConvertArguments convert = arguments.convert;
    std::string curve = arguments.curve;
    std::error_code code;
    if (fs::is_regular_file(curve, code)) {
        const auto bytes = readTextFile(curve, 1 << 20);
        if (!bytes)
            return report(common, bytes.error());
        curve.assign(reinterpret_cast<const char*>(bytes->data()), bytes->size());
    }
    Step step{"retime", {{"curve", curve}, {"shape", arguments.smooth ? "smooth" : "straight"}}, true};
    step.options["between"] = arguments.curved ? "curve" : "line";
    if (!arguments.beyond.empty())
        step.options["beyond"] = arguments.beyond == "back" ? "there and back" : arguments.beyond;
    if (!arguments.until.empty()) {
        const auto frame = parseNumber(arguments.until);
        if (!frame)
            return report(common, makeError(ErrorKind::BadInput, fmt::format("'{}' is no frame", arguments.until))
                                      .withAdvice("--until takes the last frame"));
        step.options["until"] = *frame;
    }
    convert.steps.behind.push_back(step);
    const auto written = writeConverted(common, convert, terminal.progress());
    if (!written)
        return report(common, written.error());
    if (common.json)
        printJson({{"step", {{"type", step.type}, {"options", step.options}}}, {"outputs", *written}});
    return kClean;
}

} // namespace

Run declareRetime(CLI::App& app, const Common& common) {
    const auto given = std::make_shared<RetimeArguments>();
    addSources(app, given->convert.open);
    addChoice(app, given->convert.steps.items, given->convert.steps.kinds);
    app.add_option("--curve", given->curve,
                   "Pairs OUT=IN of frames, as 1001=1001,1050=1100, or a file of them; or x0.5, reverse, "
                   "'there and back', 'hold 1040'")
        ->required()
        ->check(kSomething)
        ->type_name("FILE|TEXT");
    app.add_flag("--smooth", given->smooth, "Smooth through the keys");
    app.add_flag("--curved", given->curved, "Between samples curves that keep the speed, not straight lines");
    app.add_option("--beyond", given->beyond, "Behind the last key, up to --until")
        ->check(CLI::IsMember({"hold", "repeat", "back"}))
        ->type_name("hold|repeat|back");
    addText(app, "--until", given->until, "Last frame", "FRAME");
    addRange(app, given->convert.steps.range);
    addTarget(app, given->convert);
    return [given, &common] { return runRetime(common, *given); };
}

} // namespace wyc::cli
