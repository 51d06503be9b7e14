// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCoreApplication>

#include "desks/deliver/deliver_desk.h"
#include "desks/facts/facts_desk.h"
#include "desks/loop/loop_desk.h"
#include "desks/reconcile/reconcile_desk.h"
#include "desks/steps/steps_desk.h"

namespace wyc::app {
namespace {

template<class T> Desk* made(Workspace& workspace, Viewport& viewport, QWidget* parent) {
    if constexpr (std::is_constructible_v<T, Workspace&, Viewport&, QWidget*>)
        return new T(workspace, viewport, parent);
    else
        return new T(workspace, parent);
}

} // namespace

const std::vector<DeskType>& deskTypes() {
    static const std::vector<DeskType> kTypes{
        {QT_TRANSLATE_NOOP("Desk", "Facts"), &made<FactsDesk>},
        {QT_TRANSLATE_NOOP("Desk", "Steps"), &made<StepsDesk>},
        {QT_TRANSLATE_NOOP("Desk", "Loop"), &made<LoopDesk>},
        {QT_TRANSLATE_NOOP("Desk", "Reconcile"), &made<ReconcileDesk>},
        {QT_TRANSLATE_NOOP("Desk", "Deliver"), &made<DeliverDesk>},
    };
    return kTypes;
}

} // namespace wyc::app
