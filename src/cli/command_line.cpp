// SPDX-License-Identifier: GPL-3.0-or-later
#include "command_line.h"

#include "base/version.h"
#include "formats/format.h"
#include "steps/step.h"

namespace wyc::cli {
namespace {

// An empty value says nothing, and means a mistake.
const CLI::Validator kSomething([](const std::string& text) { return text.empty() ? "it is empty" : ""; }, "", "");

// A text that says something.
void addText(CLI::App& verb, const char* name, std::string& value, const char* help, const char* type) {
    verb.add_option(name, value, help)->check(kSomething)->type_name(type);
}

const CLI::Validator& kindCheck() {
    static const std::vector<std::string> kNames(itemKinds().begin(), itemKinds().end());
    static const CLI::IsMember kCheck(kNames);
    return kCheck;
}

void addChoice(CLI::App& verb, std::vector<std::string>& items, std::vector<std::string>& kinds) {
    verb.add_option("--items", items,
                    "Items by name, by a group's name (with all below) or by pattern, repeatable; !PATTERN leaves out")
        ->type_name("PATTERN")
        ->check(kSomething)
        ->allow_extra_args(false);
    verb.add_option("--kind", kinds, "Only seen, moving, shapes, cameras, lights or points; repeatable")
        ->type_name("seen|moving|shapes|cameras|lights|points")
        ->check(kindCheck())
        ->allow_extra_args(false);
}

void addCommon(CLI::App& verb, Common& common) {
    verb.add_flag("--json", common.json, "One JSON document on standard output and nothing else");
    verb.add_flag("-q,--quiet", common.quiet, "No progress, no remarks");
    verb.add_flag("-v,--verbose", common.verbose, "Remarks on what was passed over");
    verb.add_option("--threads", common.threads, "Number of threads (default: all)")
        ->check(CLI::Range(0, 1024))
        ->type_name("N");
}

void addSources(CLI::App& verb, OpenArguments& open) {
    verb.add_option("source", open.paths, "Files, folders, or patterns as sheet.####.obj")
        ->required()
        ->type_name("SOURCE");
    verb.add_option("--rest", open.rest, "Mesh of a bare point cache")->type_name("FILE");
    verb.add_option("--rest-object", open.restObject, "One object of the rest file")->type_name("NAME");
    verb.add_flag("--single", open.single, "A numbered file is one file, not its sequence");
    addText(verb, "--is-unit", open.isUnit, "Unit of sources that state none: mm cm m in ft, or metres", "U");
    verb.add_option("--is-up", open.isUp, "Up axis of sources that state none")
        ->check(CLI::IsMember({"X", "Y", "Z"}, CLI::ignore_case))
        ->type_name("X|Y|Z");
    addText(verb, "--is-rate", open.isRate, "Rate of sources that state none", "R");
}

void addRange(CLI::App& verb, ShotArguments& shot) {
    addText(verb, "--range", shot.range, "First and last frame, as 1009:1128", "A:B");
    verb.add_option("--handles", shot.handles, "Frames beyond both ends")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(verb, "--rate", shot.rate, "Frames a second: 24, 23.976, 30000/1001", "R");
}

// Choices and steps, as every verb that writes takes them.
void addSteps(CLI::App& verb, ConvertArguments& convert) {
    addRange(verb, convert.steps.range);
    verb.add_option("--every", convert.steps.every, "Keep every n-th sample")
        ->check(CLI::Range(1, 1000000))
        ->type_name("N");
    verb.add_option("--resample", convert.steps.resample, "Between samples: linear or nearest")
        ->check(CLI::IsMember({"linear", "nearest"}))
        ->type_name("linear|nearest");
    verb.add_option("--offset", convert.steps.offset, "Move all samples in time")->type_name("FRAMES");
    addText(verb, "--first", convert.steps.first, "Number of the first frame in the target", "FRAME");
    addText(verb, "--unit", convert.steps.unit, "From one unit to another, as cm:m", "FROM:TO");
    verb.add_flag("--world", convert.steps.world, "Put all transforms into the points");
    verb.add_option("--lead", convert.steps.lead, "Settling frames left out at the start")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(verb, "--frames", convert.steps.frames, "Only these frames, as 1009,1020:1024", "LIST");
    verb.add_option("--length", convert.steps.length, "Exactly so many frames")
        ->check(CLI::PositiveNumber)
        ->type_name("N");
    addText(verb, "--shutter", convert.steps.shutter, "Samples within every frame, as -0.25:0.25:3", "OPEN:CLOSE:N");
    verb.add_option("--scale", convert.steps.scale, "Multiply all sizes")->type_name("X");
    addText(verb, "--up", convert.steps.up, "Turn one up axis onto another, as Z:Y", "FROM:TO");
    addText(verb, "--steps", convert.steps.stepsFile, "A chain of steps, as the job file has it", "FILE.json");
    addText(verb, "--read-as", convert.steps.readAs, "Read every frame as at this rate (keeps frame numbers)", "R");
    addText(verb, "--drop", convert.steps.drop, "Frames left out, as 1009,1020:1024", "LIST");
    verb.add_flag("--close", convert.steps.close, "What is behind dropped frames moves up");
    addText(verb, "--hold", convert.steps.hold, "Frames for which the first and last pose are held", "BEFORE:AFTER");
    addText(verb, "--start", convert.steps.start, "Frame at which the first sample comes", "FRAME");
    verb.add_option("--split", convert.steps.split,
                    "One item for each piece, each set of faces (objects and groups of an OBJ file) or each material, "
                    "before --items chooses among them")
        ->check(CLI::IsMember({"pieces", "sets", "materials"}))
        ->type_name("pieces|sets|materials");
}

void addTarget(CLI::App& verb, ConvertArguments& convert) {
    verb.add_option("-o,--output", convert.target, "Target; its extension chooses the format")
        ->required()
        ->type_name("TARGET");
    verb.add_flag("--strict", convert.strict, "What was asked for and is not there is an error");
    verb.add_flag("--per-item", convert.perItem, "One file per item; the item's name goes into the target's");
    verb.add_flag("!--one-file", convert.perItem, "All items in one file (the default)");
    verb.add_flag("--replace", convert.replace, "A target that exists is replaced");
    verb.add_flag("--prove", convert.prove, "Read back and compare before the target appears");
    verb.add_flag("--record", convert.record, "The same, and a .record.json beside it");
}

} // namespace

CommandLine::CommandLine() : app("Wychronos: point caches and scene caches that arrive as they left", "wyc") {
    app.set_version_flag("--version", std::string("wyc ") + version());
    app.require_subcommand(1);
    app.failure_message(CLI::FailureMessage::simple);

    auto* infoVerb = app.add_subcommand("info", "What is in a source: items, counts, ranges, rate, unit, axis");
    addSources(*infoVerb, info.open);
    infoVerb->add_flag("--deep", info.deep, "Sample times, and the container's structure property by property");
    addChoice(*infoVerb, info.items, info.kinds);
    infoVerb->footer("Example: wyc info jelly.abc --json");

    auto* sampleVerb = app.add_subcommand("sample", "Values at a frame: points, matrix, visibility");
    addSources(*sampleVerb, sample.open);
    sampleVerb->add_option("--at", sample.at, "Frames, as 1001 or 1001,1002.5")
        ->required()
        ->type_name("FRAME[,FRAME...]");
    sampleVerb->add_option("--item", sample.item, "Only items that fit this path or pattern")->type_name("PATH");
    sampleVerb->add_option("--rate", sample.rate, "Rate of a source that states none")->type_name("R");
    sampleVerb->add_flag("--world", sample.world, "Points and matrix in world space");
    sampleVerb->footer("Example: wyc sample jelly.mdd --rest jelly.obj --at 1009 --json");

    auto* checkVerb = app.add_subcommand("check", "Findings: what is wrong, where, how much, and what to do");
    addSources(*checkVerb, check.open);
    addRange(*checkVerb, check.shot);
    addChoice(*checkVerb, check.items, check.kinds);
    checkVerb->add_option("--unit", check.shot.unit, "Unit of the shot: mm cm m in ft, or metres as a number")
        ->type_name("U");
    checkVerb->add_option("--up", check.shot.up, "Up axis of the shot")->type_name("X|Y|Z");
    checkVerb->add_option("--fail-on", check.failOn, "Least severity that makes the exit code 1")
        ->check(CLI::IsMember({"note", "caution", "fault"}))
        ->type_name("note|caution|fault");
    checkVerb->footer("A job (.wyc) as the source brings its shot, its sources and its steps.\nExample: wyc "
                      "check returns/ --range 1009:1128 --handles 8 --rate 24");

    auto* convertVerb = app.add_subcommand("convert", "One way through: sources in, one target out");
    addSources(*convertVerb, convert.open);
    addChoice(*convertVerb, convert.steps.items, convert.steps.kinds);
    addSteps(*convertVerb, convert);
    addTarget(*convertVerb, convert);
    convertVerb->footer("Example: wyc convert jelly.mdd --rest jelly.obj --unit cm:m --up Z:Y -o jelly.abc");

    auto* loopVerb = app.add_subcommand("loop", "Where it could loop, a closed loop, whether a loop closes");
    loopVerb->require_subcommand(1);
    const auto act = [&](const char* name, const char* help) {
        CLI::App* made = loopVerb->add_subcommand(name, help);
        addSources(*made, loop.convert.open);
        addChoice(*made, loop.convert.steps.items, loop.convert.steps.kinds);
        return made;
    };
    const auto bounds = [&](CLI::App& verb) {
        addText(verb, "--start", loop.start, "First frames to try, as 1009:1060, or one", "A:B");
        addText(verb, "--length", loop.length, "Lengths to try, as 24:96, or one", "A:B");
        verb.add_option("--velocity", loop.velocity,
                        "How much speeds count against places: the way gone in so many frames (default 2)")
            ->check(CLI::NonNegativeNumber)
            ->type_name("FRAMES");
        verb.add_flag("--in-place", loop.inPlace, "Rigid travel is left out of account");
    };
    auto* findVerb = act("find", "Cycles in a motion, best first");
    addRange(*findVerb, loop.convert.steps.range);
    bounds(*findVerb);
    findVerb->add_option("--count", loop.count, "At most so many")->check(CLI::Range(1, 1000))->type_name("N");
    findVerb->footer("Example: wyc loop find jelly_sim.abc --length 40:100");
    auto* loopCheckVerb = act("check", "Whether a cycle closes when it is played again and again");
    addRange(*loopCheckVerb, loop.convert.steps.range);
    loopCheckVerb->footer("Example: wyc loop check jelly_cycle.abc");
    auto* makeVerb = act("make", "A closed cycle; the best one where none is named");
    addTarget(*makeVerb, loop.convert);
    addRange(*makeVerb, loop.convert.steps.range);
    bounds(*makeVerb);
    makeVerb->add_option("--close", loop.close, "How it is closed (default: what closes it best)")
        ->check(CLI::IsMember({"cut", "overlap", "bridge"}))
        ->type_name("cut|overlap|bridge");
    makeVerb->add_option("--fade", loop.fade, "Frames of the overlap or bridge")
        ->check(CLI::NonNegativeNumber)
        ->type_name("N");
    addText(*makeVerb, "--weight", loop.weight,
            "How the fade goes, or a file of keys WAY WEIGHT from 0 to 1, a line each", "linear|smooth|smoother|FILE");
    makeVerb->add_flag("--keep-shape", loop.keepShape, "Pieces turn as wholes in the fade");
    makeVerb
        ->add_option("--travel", loop.travel,
                     "What travels: each cycle begins where the first did, or where the one before ended, or its "
                     "travel is taken out")
        ->check(CLI::IsMember({"comes-back", "goes-on", "taken-out"}));
    makeVerb->add_flag("--closing-copy", loop.closingCopy, "One frame more, equal to the first");
    makeVerb->add_option("--cycles", loop.cycles, "How often it is shown")
        ->check(CLI::Range(1, 100000))
        ->type_name("N");
    addText(*makeVerb, "--fill", loop.fill, "Fill this range; the cycle stays where it is", "A:B");
    makeVerb->footer("Example: wyc loop make jelly_sim.abc --fade 12 -o jelly_cycle.abc");
    for (CLI::App* verb : loopVerb->get_subcommands({}))
        addCommon(*verb, common);

    auto* retimeVerb = app.add_subcommand("retime", "Frames along a curve");
    addSources(*retimeVerb, retime.convert.open);
    addChoice(*retimeVerb, retime.convert.steps.items, retime.convert.steps.kinds);
    retimeVerb
        ->add_option("--curve", retime.curve,
                     "Pairs OUT=IN of frames, as 1001=1001,1050=1100, or a file of them; or x0.5, reverse, "
                     "'there and back', 'hold 1040'")
        ->required()
        ->check(kSomething)
        ->type_name("FILE|TEXT");
    retimeVerb->add_flag("--smooth", retime.smooth, "Smooth through the keys");
    retimeVerb->add_flag("--curved", retime.curved, "Between samples curves that keep the speed, not straight lines");
    retimeVerb->add_option("--beyond", retime.beyond, "Behind the last key, up to --until")
        ->check(CLI::IsMember({"hold", "repeat", "back"}))
        ->type_name("hold|repeat|back");
    addText(*retimeVerb, "--until", retime.until, "Last frame", "FRAME");
    addRange(*retimeVerb, retime.convert.steps.range);
    addTarget(*retimeVerb, retime.convert);
    retimeVerb->footer("Example: wyc retime jelly.abc --curve 'x0.5' -o jelly_slow.abc");

    const auto sides = [&](const char* name, const char* help) {
        CLI::App* verb = app.add_subcommand(name, help);
        verb->add_option("a", compare.a, "What it should be")->required()->type_name("A");
        verb->add_option("b", compare.b, "What came back")->required()->type_name("B");
        verb->add_option("--rest", compare.open.rest, "Mesh of A, where it is a bare point cache")->type_name("FILE");
        verb->add_option("--rest-b", compare.restB, "Mesh of B, where it is one")->type_name("FILE");
        verb->add_flag("--single", compare.open.single, "A numbered file is one file, not its sequence");
        addText(*verb, "--is-unit", compare.open.isUnit, "Unit of sources that state none", "U");
        addText(*verb, "--is-rate", compare.open.isRate, "Rate of sources that state none", "R");
        verb->add_option("--items", compare.items, "Only items that fit, \"!PATTERN\" leaves out; repeatable")
            ->type_name("PATTERN")
            ->check(kSomething)
            ->allow_extra_args(false);
        return verb;
    };
    auto* compareVerb = sides("compare", "How far B is from A, and why");
    compareVerb->add_flag("--explain", compare.explain, "Every cause with its figure, evidence and confidence");
    addText(*compareVerb, "--tolerance", compare.tolerance, "Largest drift that is none, as 0.1mm (the default)",
            "LENGTH");
    addText(*compareVerb, "--camera", compare.camera, "Drift in the picture of this camera of A or B too, in pixels",
            "ITEM");
    compareVerb->add_option("--picture-width", compare.pictureWidth, "Width of that picture, 1920 where not given")
        ->type_name("PIXELS")
        ->check(CLI::Range(1.0, 1e6));
    addText(*compareVerb, "--apply", compare.apply, "Write B with all causes undone, proven", "TARGET");
    addText(*compareVerb, "--report", compare.report, "All of it as one page", "FILE.html");
    compareVerb->add_flag("--replace", compare.replace, "A target that exists is replaced");
    compareVerb->footer("Example: wyc compare jelly.abc returned/jelly.mdd --explain --apply mended.abc");
    auto* orderVerb = sides("order", "Which point of B is which point of A, as a file for the step Reorder");
    orderVerb->add_option("-o,--output", compare.output, "The order")->required()->type_name("MAP");
    orderVerb->add_flag("--replace", compare.replace, "A file that exists is replaced");
    orderVerb->footer("Example: wyc order jelly.abc returned/jelly.abc -o jelly.order.json");

    auto* jobVerb = app.add_subcommand("job", "Makes and changes a job: sources, shot, steps, deliveries");
    jobVerb->add_option("job", job.job, "The job")->required()->type_name("JOB.wyc");
    jobVerb->add_flag("--new", job.fresh, "Make it; an error where it is there already");
    const auto some = [&](const char* name, std::string& value, const char* help, const char* type) {
        return jobVerb->add_option(name, value, help)->check(kSomething)->type_name(type);
    };
    const auto list = [&](const char* name, std::vector<std::string>& value, const char* help, const char* type) {
        return jobVerb->add_option(name, value, help)->check(kSomething)->allow_extra_args(false)->type_name(type);
    };
    list("--add", job.added, "Add a source: a file, folder or pattern; repeatable", "SOURCE");
    list("--remove", job.removed, "Take a source out, by name or pattern; repeatable", "SOURCE");
    some("--name", job.shotName, "Name of the shot", "NAME");
    addRange(*jobVerb, job.shot);
    some("--unit", job.shot.unit, "Unit of the shot: mm cm m in ft, or metres as a number", "U");
    some("--up", job.shot.up, "Up axis of the shot", "X|Y|Z");
    list("--items", job.items, "Items that the next options are about, by pattern; repeatable", "PATTERN");
    list("--step", job.steps, "Add a step, as \"trim first=1009 last=1128\"; repeatable", "STEP");
    some("--steps", job.stepsFile, "Add a chain of steps", "FILE.json");
    jobVerb->add_flag("--clear-steps", job.clear, "Take all their steps away first");
    jobVerb->add_flag("--leave-out", job.leaveOut, "They take no part");
    jobVerb->add_flag("--take-in", job.takeIn, "They take part");
    jobVerb->add_flag("--loops", job.loops, "They are meant to loop: their seam is checked");
    jobVerb->add_flag("--no-loops", job.noLoops, "They are not");
    list("--mend", job.mend, "Add the mends of findings of this id, or of all; repeatable", "ID");
    some("--delivery", job.delivery, "A delivery of this name, made where there is none", "NAME");
    jobVerb->add_flag("--drop-delivery", job.dropDelivery, "Take it away");
    std::vector<std::string> ids;
    for (const Format& format : formats())
        ids.emplace_back(format.id);
    some("--format", job.format, "Its format", "alembic|mdd|obj|obj-sequence")->check(CLI::IsMember(ids));
    list("--take", job.take, "Items it takes, by pattern; repeatable", "PATTERN");
    some("--folder", job.folder, "Where it goes", "DIR");
    some("--template", job.nameTemplate, "Names: {shot} {item} {parent} {path} {version}", "TEXT");
    some("--to-unit", job.toUnit, "Convert to this unit", "U");
    some("--to-up", job.toUp, "Turn to this up axis", "X|Y|Z");
    some("--to-rate", job.toRate, "Resample to this rate", "R");
    jobVerb->add_flag("--whole-range", job.wholeRange, "All frames there are, not the shot's");
    jobVerb->add_flag("--world", job.world, "Put all transforms into the points");
    jobVerb->add_flag("--one-file", job.oneFile, "All items in one file");
    jobVerb->add_flag("--replace", job.replace, "Deliveries of the same items are replaced");
    jobVerb->footer("Example: wyc job sh040.wyc --new --add returns/ --range 1009:1128 --handles 8 --rate 24\n"
                    "         wyc job sh040.wyc --items '*jelly*' --step \"unit from=cm to=m\" --delivery layout "
                    "--format alembic --folder out");

    auto* deliverVerb = app.add_subcommand("deliver", "A job's deliveries, each proven and recorded");
    deliverVerb->add_option("job", deliver.job, "The job")->required()->type_name("JOB.wyc");
    deliverVerb->add_option("--only", deliver.only, "Only deliveries or items that fit")->type_name("PATTERN");
    deliverVerb->add_flag("--dry-run", deliver.dryRun, "Say what would be written and lost; write nothing");
    deliverVerb->add_flag("--against-last", deliver.againstLast,
                          "Say what is other than in the last delivery of the same items");
    deliverVerb->add_flag("--strict", deliver.strict, "What was asked for and is not there is an error");
    deliverVerb->add_option("--fail-on", deliver.failOn, "Findings of this severity stop it before anything is written")
        ->check(CLI::IsMember({"note", "caution", "fault"}))
        ->type_name("note|caution|fault");
    deliverVerb->footer("Example: wyc deliver lantern_shoal.wyc --only 'lantern*'");

    auto* proveVerb = app.add_subcommand("prove", "Proof again, later, elsewhere");
    proveVerb->add_option("target", prove.target, "What was delivered")->required()->type_name("TARGET");
    proveVerb->add_option("--record", prove.record, "Its record (default: the one beside it)")->type_name("FILE");
    addText(*proveVerb, "--report", prove.report, "All of it as one page", "FILE.html");
    proveVerb->footer("Example: wyc prove sh040_lantern_jelly_v001.abc");

    auto* formatsVerb = app.add_subcommand("formats", "What each format keeps, converts and loses");
    formatsVerb->footer("Example: wyc formats --json");

    auto* stepsVerb = app.add_subcommand("steps", "Every step of a chain, with its options");
    stepsVerb->add_option("step", step, "Only this one")->type_name("STEP");
    stepsVerb->footer("Example: wyc steps trim");

    auto* demoVerb = app.add_subcommand("demo", "Writes the demo scenario into a new folder");
    demoVerb->add_option("folder", demoFolder, "A folder that is empty or not there")->required()->type_name("DIR");
    demoVerb->footer("Example: wyc demo /tmp/lantern");

    auto* pagesVerb = app.add_subcommand("pages", "Writes the man page and shell completions (for packagers)");
    pagesVerb->add_option("folder", pagesFolder, "An existing folder")->required()->type_name("DIR");
    pagesVerb->group("");

    for (CLI::App* verb : app.get_subcommands({}))
        if (verb != loopVerb) // its acts have them
            addCommon(*verb, common);
}

} // namespace wyc::cli
