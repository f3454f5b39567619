// SPDX-License-Identifier: GPL-3.0-or-later
// The editor of texts, whose headers use words of Qt that are names here.
#pragma once

#define signals Q_SIGNALS
#define slots Q_SLOTS
#include <Qsci/qsciapis.h>
#include <Qsci/qscilexerlua.h>
#include <Qsci/qsciscintilla.h>
#include <Qsci/qscistyle.h>
#undef signals
#undef slots
