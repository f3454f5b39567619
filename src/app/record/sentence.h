// SPDX-License-Identifier: GPL-3.0-or-later
// A recording as a sentence, some of whose words are fields.
#pragma once

#include <QFont>
#include <QRectF>
#include <QString>

#include <optional>
#include <vector>

#include "rig/rule_text.h"

namespace wavetrope::app {

/// A piece of the sentence.
struct SentenceRun {
    QString text;
    std::optional<rig::RecordingField> field;   ///< That it shows; nothing for the words between.
    QString was;                                ///< What is armed in its place; empty where that is the same.
};

/// The sentence of a recording; what is armed beside it, or null where nothing is to be compared.
[[nodiscard]] std::vector<SentenceRun> sentenceOf(const rig::RecordingSpec& recording, const rig::RecordingSpec* armed = nullptr);
/// All of it as one text.
[[nodiscard]] QString sentenceText(const rig::RecordingSpec& recording);
/// What a field is called, and an example of what may stand in it.
[[nodiscard]] QString fieldHint(rig::RecordingField field);

/// Where a piece stands. A run that is broken into lines is several.
struct SentencePiece {
    QRectF box;
    QString text;
    std::optional<rig::RecordingField> field;
    bool was = false;                           ///< It is struck out.
    bool is = false;                            ///< It stands for what is struck out.
};
struct SentenceLayout {
    std::vector<SentencePiece> pieces;
    int lines = 1;
    /// The box of a field's first piece.
    [[nodiscard]] std::optional<QRectF> boxOf(rig::RecordingField field) const;
};
/// Breaks it into lines between words, from (0, 0) on.
[[nodiscard]] SentenceLayout laidOut(
    const std::vector<SentenceRun>& runs, double width, const QFont& words, const QFont& fields, double lineHeight);

}  // namespace wavetrope::app
