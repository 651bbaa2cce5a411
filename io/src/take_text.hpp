#pragma once

#include <span>
#include <string>

#include <hopcoil/base/take_sink.hpp>

namespace hopcoil::io {

// A take as text, in the order in which it is recorded.

void append_csv_header(std::string& text, std::span<const RecordedChannel> channels);
void append_csv_row(std::string& text, double time_s, std::span<const double> numbers);

void append_json_header(std::string& text, std::span<const RecordedChannel> channels,
                        const std::string& made_by);
void append_json_row(std::string& text, double time_s, std::span<const double> numbers,
                     bool is_first);
void append_json_end(std::string& text, const std::string& ended_early = {});

}  // namespace hopcoil::io
