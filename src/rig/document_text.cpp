// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/document_text.h"

#include <algorithm>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string_view>
#include <vector>

namespace wavetrope::rig {

namespace {

using nlohmann::json;

constexpr std::size_t widest = 160;     // of what stands on one line

// A value of the text: where it lies, and what lies in it. The text is known to be well-formed.
struct Span {
    std::size_t begin = 0;
    std::size_t end = 0;
    struct Part {
        std::string key;                // of an object
        std::size_t begin = 0;          // of the key, or of the value in a list
        std::unique_ptr<Span> value;
    };
    std::vector<Part> parts;
};

class Scanner {
public:
    explicit Scanner(const std::string& text) : text_(text) {}

    std::unique_ptr<Span> value()
    {
        blanks();
        auto span = std::make_unique<Span>();
        span->begin = at_;
        if (at_ >= text_.size())
            return span;
        const char c = text_[at_];
        if (c == '{' || c == '[') {
            const char close = c == '{' ? '}' : ']';
            ++at_;
            blanks();
            while (at_ < text_.size() && text_[at_] != close) {
                Span::Part part;
                part.begin = at_;
                if (c == '{') {
                    const std::size_t from = at_;
                    string();
                    part.key = json::parse(text_.substr(from, at_ - from), nullptr, false).get<std::string>();
                    blanks();
                    ++at_;  // the colon
                }
                part.value = value();
                span->parts.push_back(std::move(part));
                blanks();
                if (at_ < text_.size() && text_[at_] == ',')
                    ++at_;
                blanks();
            }
            ++at_;
        } else if (c == '"') {
            string();
        } else {
            at_ = std::min(text_.find_first_of(",]} \t\r\n", at_), text_.size());
        }
        span->end = at_;
        return span;
    }

private:
    void blanks() { at_ = std::min(text_.find_first_not_of(" \t\r\n", at_), text_.size()); }
    void string()
    {
        for (++at_; at_ < text_.size() && text_[at_] != '"'; ++at_)
            at_ += text_[at_] == '\\' ? 1 : 0;
        ++at_;
    }

    const std::string& text_;
    std::size_t at_ = 0;
};

class Writer {
public:
    explicit Writer(const std::string& source) : source_(source) {}

    std::string changed(const Span& span, const json& was, const json& is, std::size_t indent) const
    {
        if (was == is)
            return source_.substr(span.begin, span.end - span.begin);
        if (was.is_object() && is.is_object() && span.parts.size() == was.size() && !span.parts.empty())
            return object(span, was, is, indent);
        if (was.is_array() && is.is_array() && span.parts.size() == was.size() && !span.parts.empty() && !is.empty())
            return list(span, was, is, indent);
        return fresh(is, indent);
    }

    // A value that is new: on one line where it is short, else a line for each of its parts.
    static std::string fresh(const json& value, std::size_t indent)
    {
        std::string line = oneLine(value);
        if (!value.is_structured() || value.empty() || line.size() + indent <= widest)
            return line;
        const std::string inner(indent + 2, ' ');
        std::string out(1, value.is_object() ? '{' : '[');
        bool first = true;
        for (auto part = value.begin(); part != value.end(); ++part) {
            out += (first ? "\n" : ",\n") + inner;
            first = false;
            if (value.is_object())
                out += json(part.key()).dump(-1, ' ', false, json::error_handler_t::replace) + ": ";
            out += fresh(*part, indent + 2);
        }
        return out + '\n' + std::string(indent, ' ') + (value.is_object() ? '}' : ']');
    }

private:
    static std::string oneLine(const json& value)
    {
        if (!value.is_structured())
            return value.dump(-1, ' ', false, json::error_handler_t::replace);
        std::string out(1, value.is_object() ? '{' : '[');
        for (auto part = value.begin(); part != value.end(); ++part) {
            if (part != value.begin())
                out += ", ";
            if (value.is_object())
                out += json(part.key()).dump(-1, ' ', false, json::error_handler_t::replace) + ": ";
            out += oneLine(*part);
        }
        return out + (value.is_object() ? '}' : ']');
    }
    // Blanks in front of a place, back to the line's beginning.
    [[nodiscard]] std::size_t indentOf(std::size_t place) const
    {
        const std::size_t line = place == 0 ? std::string::npos : source_.rfind('\n', place - 1);
        const std::size_t from = line == std::string::npos ? 0 : line + 1;
        return std::min(source_.find_first_not_of(" \t", from), place) - from;
    }
    // What stands in front of the first part, between two, and behind the last.
    struct Joints {
        std::string open, between, close;
    };
    [[nodiscard]] Joints jointsOf(const Span& span) const
    {
        Joints joints;
        joints.open = source_.substr(span.begin, span.parts.front().begin - span.begin);
        joints.between = span.parts.size() > 1 ? source_.substr(span.parts[0].value->end, span.parts[1].begin - span.parts[0].value->end)
                                               : "," + (joints.open.size() > 1 ? joints.open.substr(1) : std::string(" "));
        joints.close = source_.substr(span.parts.back().value->end, span.end - span.parts.back().value->end);
        return joints;
    }
    std::string object(const Span& span, const json& was, const json& is, std::size_t) const
    {
        const Joints joints = jointsOf(span);
        std::string out = joints.open;
        bool first = true;
        const Span::Part* before = nullptr;
        for (const Span::Part& part : span.parts) {
            const auto next = is.find(part.key);
            if (next != is.end()) {
                if (!first)
                    out += before != nullptr ? source_.substr(before->value->end, part.begin - before->value->end) : joints.between;
                first = false;
                out += source_.substr(part.begin, part.value->begin - part.begin);
                out += changed(*part.value, was[part.key], *next, indentOf(part.begin));
            }
            before = next != is.end() ? &part : nullptr;
        }
        const std::size_t inner = indentOf(span.parts.front().begin);
        for (auto part = is.begin(); part != is.end(); ++part) {
            if (was.contains(part.key()))
                continue;
            out += (first ? "" : joints.between) + json(part.key()).dump(-1, ' ', false, json::error_handler_t::replace) + ": "
                   + fresh(*part, inner);
            first = false;
        }
        return out + joints.close;
    }
    std::string list(const Span& span, const json& was, const json& is, std::size_t) const
    {
        const Joints joints = jointsOf(span);
        // What is the same at both ends stays; between, one is made of the other as far as they go.
        std::size_t front = 0;
        while (front < was.size() && front < is.size() && was[front] == is[front])
            ++front;
        std::size_t back = 0;
        while (back < was.size() - front && back < is.size() - front && was[was.size() - 1 - back] == is[is.size() - 1 - back])
            ++back;
        std::string out = joints.open;
        const std::size_t inner = indentOf(span.parts.front().begin);
        for (std::size_t i = 0; i < is.size(); ++i) {
            const bool behind = i >= is.size() - back;
            const std::size_t of = behind ? i + was.size() - is.size() : i;
            const bool known = i < front || behind || of < was.size() - back;
            if (i > 0) {
                const bool neighbours = known && of > 0 && (i <= front || (behind && i > is.size() - back) || was.size() == is.size());
                out += neighbours ? source_.substr(span.parts[of - 1].value->end, span.parts[of].begin - span.parts[of - 1].value->end)
                                  : joints.between;
            }
            out += known ? changed(*span.parts[of].value, was[of], is[i], std::max(inner, indentOf(span.parts[of].begin)))
                         : fresh(is[i], inner);
        }
        return out + joints.close;
    }

    const std::string& source_;
};

}  // namespace

std::string documentText(const std::string& source, const json& was, const json& is)
{
    if (source.empty() || json::parse(source, nullptr, false) != was)
        return Writer::fresh(is, 0) + '\n';
    const auto span = Scanner(source).value();
    return source.substr(0, span->begin) + Writer(source).changed(*span, was, is, 0) + source.substr(span->end);
}

}  // namespace wavetrope::rig
