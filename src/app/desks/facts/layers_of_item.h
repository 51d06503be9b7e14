// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Of an item of a layered scene: which layers speak of it, and what its opening offers to choose.
#include <functional>

#include <QString>

#include "workbench/workbench.h"

class QWidget;

namespace wyc::app {

/// Null where its source is one file. `choose`: another value of an option of opening.
[[nodiscard]] QWidget*
layersOfItem(const ItemView& item, QWidget* parent,
             const std::function<void(const std::string& option, const nlohmann::json& value)>& choose);

/// The option `variant` with another choice for a set of a prim; an empty choice: as the layers say.
[[nodiscard]] nlohmann::json withVariant(const nlohmann::json& options, const std::string& prim, const std::string& set,
                                         const std::string& choice);
/// The option `payloads` with that of one prim loaded, or not.
[[nodiscard]] nlohmann::json withPayload(const nlohmann::json& options, const std::string& prim, bool loaded);

} // namespace wyc::app
