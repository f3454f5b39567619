// SPDX-License-Identifier: GPL-3.0-or-later
// Carries the headers that all tests of the application share, compiled once.
