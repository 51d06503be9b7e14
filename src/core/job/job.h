// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// The job: a plain value, kept as JSON in a .wyc file. Schema: docs/formats/job.md.
#include <memory>
#include <string>
#include <vector>

#include "delivery/delivery.h"

namespace wyc {

/// Links a source through edits, saves and the window. Never reused within a job.
struct SourceId {
    int value = 0;
    auto operator<=>(const SourceId&) const = default;
};

struct JobSource {
    SourceId id;
    SourceSpec spec;
    bool operator==(const JobSource&) const = default;
};

/// An item a person did something with. Items without an entry have no steps and take part.
struct JobItem {
    SourceId source;
    std::string path;
    std::vector<Step> steps;
    bool leftOut = false;
    bool loops = false; // it is meant to be played again and again
    bool operator==(const JobItem&) const = default;
};

struct Job {
    Shot shot;
    std::vector<JobSource> sources;
    std::vector<JobItem> items;
    std::vector<DeliverySpec> deliveries;

    [[nodiscard]] const JobItem* item(SourceId source, const std::string& path) const;
    /// The entry of an item, made when there is none.
    [[nodiscard]] JobItem& itemFor(SourceId source, const std::string& path);
    [[nodiscard]] const JobSource* source(SourceId id) const;
    [[nodiscard]] SourceId freeSourceId() const;
    bool operator==(const Job&) const = default;
};

/// Paths in the file are relative to its folder where they can be.
[[nodiscard]] nlohmann::json toJson(const Job& job, const fs::path& folder);
[[nodiscard]] Result<Job> jobFromJson(const nlohmann::json& json, const fs::path& folder);
[[nodiscard]] Result<Job> loadJob(const fs::path& path);
/// An error where the JSON holds bytes that are no text: names on a disk or in an archive may be any.
[[nodiscard]] Status isUtf8(const nlohmann::json& value);
/// `asRead`: what the file held when it was read; an error of kind Changed where somebody else wrote it meanwhile. A
/// file that is gone is written anew, a link stays one.
[[nodiscard]] Status saveJob(const Job& job, const fs::path& path, const Job* asRead = nullptr);

/// The one job in the folder of `path` or up to two above it; nothing where there are several.
[[nodiscard]] std::optional<fs::path> jobBeside(const fs::path& path);

/// One item of a source as a scene of its own (with the transforms above it) after its steps.
[[nodiscard]] Result<Scene> itemScene(const Source& source, const std::string& path, const std::vector<Step>& steps);

/// The same before any step.
[[nodiscard]] Result<Scene> itemBranch(const Source& source, const std::string& path);

/// The inputs of a delivery: every item with points that is chosen by its patterns and not left out. `opened`
/// holds the sources in the job's order; null where one could not be opened, which is an error where the patterns may
/// take something of it.
[[nodiscard]] Result<std::vector<DeliveryInput>> deliveryInputs(const Job& job, const DeliverySpec& spec,
                                                                const std::vector<SourcePtr>& opened);
/// The outputs of those inputs that are wanted; the others stay in step with them.
[[nodiscard]] Result<std::vector<PlannedOutput>> plannedPart(std::vector<DeliveryInput> inputs,
                                                             const DeliverySpec& spec, const Shot& shot,
                                                             const std::function<bool(const DeliveryInput&)>& wanted,
                                                             RunSoFar run = {});
/// All outputs of a run, of every delivery of the job, before the first of them is written: none takes another's name.
/// `only`: patterns over names of deliveries and over labels and names of items; empty = all. What is left out so stays
/// in step with what is not. A source that could not be opened stops what may take from it and nothing else.
[[nodiscard]] Result<std::vector<PlannedOutput>> plannedRun(const Job& job, const std::vector<SourcePtr>& sources,
                                                            const std::vector<std::string>& only);

/// How an item is called in patterns and lists: "SOURCE/PATH".
[[nodiscard]] std::string itemLabel(const Source& source, const std::string& path);

} // namespace wyc
