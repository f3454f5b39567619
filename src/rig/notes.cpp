#include "rig/notes.h"

#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>

#include "can/replace_file.h"
#include "can/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::uintmax_t largestFile = 64U << 20;

std::string lowered(const std::string& text)
{
    std::string lower = text;
    std::transform(lower.begin(), lower.end(), lower.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return lower;
}

}  // namespace

Expected<Notes> Notes::load(const std::string& log)
{
    const std::string path = fileOf(log);
    std::error_code problem;
    if (!std::filesystem::exists(path, problem))
        return Notes();
    if (std::filesystem::file_size(path, problem) > largestFile || problem)
        return fail("the notes cannot be read", path, "Look at the file; the log itself is not affected");
    std::ifstream file(path, std::ios::binary);
    const auto document = nlohmann::json::parse(std::string(std::istreambuf_iterator<char>(file), {}), nullptr, false);
    if (!document.is_object() || !document.contains("wavetrope_notes") || !document.contains("notes") || !document["notes"].is_array())
        return fail("this is no file of notes", path, "Look at the file; the log itself is not affected");
    Notes notes;
    for (const auto& entry : document["notes"]) {
        const bool whole = entry.is_object() && entry.contains("time") && entry["time"].is_string() && entry.contains("text") && entry["text"].is_string();
        const auto time = whole ? can::momentFromText(entry["time"].get<std::string>(), {}) : std::nullopt;
        if (!time)
            return fail("a note without its time or text", path + ", /notes/" + std::to_string(notes.notes_.size()), "Look at the file; the log itself is not affected");
        Note note{0, *time, trace::noRow, entry["text"].get<std::string>()};
        if (entry.contains("row") && entry["row"].is_number_unsigned() && entry["row"].get<std::uint64_t>() > 0)
            note.row = entry["row"].get<std::uint64_t>() - 1;
        notes.put(std::move(note));
    }
    return notes;
}

Expected<void> Notes::save(const std::string& log) const
{
    const std::string path = fileOf(log);
    if (notes_.empty()) {
        ::unlink(path.c_str());
        return {};
    }
    nlohmann::ordered_json document;
    document["wavetrope_notes"] = 1;
    document["notes"] = nlohmann::ordered_json::array();
    for (const Note& note : notes_) {
        nlohmann::ordered_json entry;
        entry["time"] = can::secondsText(note.time);
        if (note.row != trace::noRow)
            entry["row"] = note.row + 1;
        entry["text"] = note.text;
        document["notes"].push_back(std::move(entry));
    }
    return replaceFile(path, document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + '\n');
}

std::uint64_t Notes::put(Note note)
{
    if (note.uid == 0)
        note.uid = next_++;
    next_ = std::max(next_, note.uid + 1);
    const std::uint64_t uid = note.uid;
    remove(uid);
    const auto at = std::upper_bound(notes_.begin(), notes_.end(), note, [](const Note& a, const Note& b) { return std::pair(a.time, a.row) < std::pair(b.time, b.row); });
    notes_.insert(at, std::move(note));
    return uid;
}

void Notes::remove(std::uint64_t uid)
{
    std::erase_if(notes_, [&](const Note& note) { return note.uid == uid; });
}

const Note* Notes::find(std::uint64_t uid) const
{
    const auto found = std::find_if(notes_.begin(), notes_.end(), [&](const Note& note) { return note.uid == uid; });
    return found == notes_.end() ? nullptr : &*found;
}

const Note* Notes::at(trace::Row row) const
{
    const auto found = std::find_if(notes_.begin(), notes_.end(), [&](const Note& note) { return note.row == row; });
    return row == trace::noRow || found == notes_.end() ? nullptr : &*found;
}

std::vector<const Note*> Notes::search(const std::string& words) const
{
    const std::string wanted = lowered(words);
    std::vector<const Note*> found;
    for (const Note& note : notes_)
        if (lowered(note.text).find(wanted) != std::string::npos)
            found.push_back(&note);
    return found;
}

void Notes::settle(const trace::Snapshot& snapshot)
{
    for (Note& note : notes_)
        if (note.row != trace::noRow && (note.row >= snapshot.rows() || snapshot.time(note.row) != note.time))
            note.row = trace::noRow;
}

}  // namespace wavetrope::rig
