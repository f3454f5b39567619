// SPDX-License-Identifier: GPL-3.0-or-later
// The signals of messages in place of frames, as CSV.
#pragma once

#include "cli/message_rows.h"
#include "convert/value_rows.h"
#include "database/derived_stream.h"

namespace wavetrope::cli {

/// A row for each value of the messages that pass, as convert::ValueRows has them. An object that is read or written is a value where a dictionary knows it:
/// its message is the node.
class MessageValues {
public:
    MessageValues(const Question& question, const std::vector<std::string>& protocols, std::string glob)
        : rows_(question, protocols), glob_(std::move(glob))
    {
        rows_.explained();
    }
    /// Messages whose stamps lie outside are left out, once the stamp of the log's first frame is known.
    std::function<std::pair<Time, Time>(Time first)> within = [](Time) { return std::pair(Time::min(), Time::max()); };

    /// Gives the head, then text by and by. Times count from what `origin` makes of the stamp of the first frame; `write` says whether more is wanted.
    Expected<void> each(const std::function<Time(Time first)>& origin, const std::function<bool(std::string_view)>& write);

    [[nodiscard]] std::uint64_t messages() const { return messages_; }
    [[nodiscard]] const convert::ValueRows::Counts& counts() const { return counts_; }
    /// To be asked at the end: what it came to less than one would think, in words.
    [[nodiscard]] std::vector<std::string> shortcomings() const;

private:
    void follow(const protocol::MessageRow& row, const std::shared_ptr<const database::Catalog>& catalog);
    void object(const protocol::MessageRow& row, const std::string& bus, Time origin, std::string& out);

    PassingRows rows_;
    std::string glob_;
    convert::ValueRows::Counts counts_;
    std::uint64_t messages_ = 0;
    bool any_ = false;
    std::unique_ptr<database::DerivedStream> derived_;  // where the glob wants any
    std::vector<std::uint32_t> wanted_;
    const database::Catalog* derivedOf_ = nullptr;
    const std::vector<database::DerivedStream::Sample>* samples_ = nullptr;  // of the row that is heard
};

}  // namespace wavetrope::cli
