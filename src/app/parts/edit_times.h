// SPDX-License-Identifier: GPL-3.0-or-later
// In which order several undo stacks of a window were edited.
#pragma once

#include <QUndoStack>

#include <algorithm>
#include <cstdint>
#include <vector>

namespace wavetrope::app {

/// Remembers when each step of a stack was done, so that what was done last in a window is undone first. A child of the
/// stack.
class EditTimes : public QObject {
public:
    /// Follows a stack from now on; once is enough.
    static void follow(QUndoStack& stack)
    {
        if (find(stack) == nullptr)
            new EditTimes(stack);
    }
    /// When the step was done that would be undone, or that would be done again; 0 where there is none.
    [[nodiscard]] static std::uint64_t ofUndo(const QUndoStack& stack) { return of(stack, stack.index() - 1); }
    [[nodiscard]] static std::uint64_t ofRedo(const QUndoStack& stack) { return stack.canRedo() ? of(stack, stack.index()) : 0; }

private:
    explicit EditTimes(QUndoStack& stack) : QObject(&stack), stack_(stack)
    {
        setObjectName(QStringLiteral("editTimes"));
        connect(&stack, &QUndoStack::indexChanged, this, [this](int index) {
            if (index == stack_.count() && index > last_) {     // done for the first time, or merged into one that was
                times_.resize(static_cast<std::size_t>(std::max(0, index - 1)));
                times_.push_back(++clock());
            }
            last_ = index;
        });
    }
    static EditTimes* find(const QUndoStack& stack)
    {
        return static_cast<EditTimes*>(stack.findChild<QObject*>(QStringLiteral("editTimes"), Qt::FindDirectChildrenOnly));
    }
    static std::uint64_t of(const QUndoStack& stack, int step)
    {
        const EditTimes* times = find(stack);
        if (step < 0 || step >= stack.count())
            return 0;
        return times != nullptr && static_cast<std::size_t>(step) < times->times_.size() ? times->times_[static_cast<std::size_t>(step)]
                                                                                         : 1;
    }
    static std::uint64_t& clock()
    {
        static std::uint64_t now = 1;
        return now;
    }

    QUndoStack& stack_;
    std::vector<std::uint64_t> times_;
    int last_ = 0;
};

}  // namespace wavetrope::app
