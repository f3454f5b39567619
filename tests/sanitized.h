// SPDX-License-Identifier: GPL-3.0-or-later
// Whether the tests run under a sanitizer.
#pragma once

namespace wavetrope::test {

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
inline constexpr bool sanitized = true;
#elif defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
inline constexpr bool sanitized = true;
#else
inline constexpr bool sanitized = false;
#endif
#else
inline constexpr bool sanitized = false;
#endif

/// How much of something is done: what a sanitizer sees in a part of it, it sees; all of it is done without one.
constexpr int some(int all, int part) { return sanitized ? part : all; }

}  // namespace wavetrope::test
