// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// A field for one declared option, of a step or of a format.
#include <functional>

#include <QString>

#include "options/option.h"

class QWidget;

namespace wyc::app {

/// `value`: what holds. `changed` is told what was chosen or typed, not yet checked; `refused` why it says nothing.
[[nodiscard]] QWidget* optionEditor(const Option& option, const nlohmann::json& value, QWidget* parent,
                                    const std::function<void(const nlohmann::json&)>& changed,
                                    const std::function<void(const QString&)>& refused);

/// Of a format: each with its name, as many beside one another as fit. `chosen` has those that are not standard.
/// `changed` is told the name too. Null where there is none.
[[nodiscard]] QWidget* optionsEditor(const Options& options, const nlohmann::json& chosen, QWidget* parent,
                                     const std::function<void(const std::string&, const nlohmann::json&)>& changed,
                                     const std::function<void(const QString&)>& refused);

} // namespace wyc::app
