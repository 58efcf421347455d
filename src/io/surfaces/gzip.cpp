#include <anvilcast/errors.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <memory>

#include "io/surfaces/gzip.hpp"

namespace anvilcast {
namespace {

/// Text of regular surfaces comes close to thirty.
constexpr std::size_t kLargestRatio = 50;
/// Taken at once, so that growing does not hold the data twice; what is not used costs nothing.
constexpr std::size_t kMostReserved = std::size_t{1} << 31;
constexpr std::size_t kBlock = std::size_t{1} << 18;
constexpr int kGzipWindow = 15 + 16;

/// Hands the next piece of the data to the stream when it has none left; its counters hold 32 bits only.
void feed(z_stream& stream, std::string_view data, std::size_t& given) {
    if (stream.avail_in > 0 || given == data.size()) return;
    const std::size_t n = std::min(data.size() - given, std::size_t{1} << 30);
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(data.data() + given));
    stream.avail_in = static_cast<uInt>(n);
    given += n;
}

}  // namespace

std::string gunzip(std::string_view packed, const std::string& name) {
    z_stream stream{};
    if (inflateInit2(&stream, kGzipWindow) != Z_OK) throw FailureError("gzip data cannot be unpacked: out of memory");
    const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&stream, inflateEnd);
    const std::size_t most = kLargestRatio * packed.size() + kBlock;
    std::string out;
    out.reserve(std::min(most + kBlock, kMostReserved));
    std::size_t given = 0;
    int status = Z_OK;
    while (true) {
        feed(stream, packed, given);
        const std::size_t before = out.size();
        out.resize(before + kBlock);
        stream.next_out = reinterpret_cast<Bytef*>(out.data() + before);
        stream.avail_out = static_cast<uInt>(kBlock);
        status = inflate(&stream, Z_NO_FLUSH);
        out.resize(out.size() - stream.avail_out);
        if (out.size() > most)
            throw InputError(
                fmt::format("{}: unpacks to more than {} times its size; that is no surface", name, kLargestRatio));
        const bool more = stream.avail_in > 0 || given < packed.size();
        // Files may hold several compressed members one after the other.
        if (status == Z_STREAM_END && more && inflateReset(&stream) == Z_OK) continue;
        if (status == Z_STREAM_END) return out;
        if (status != Z_OK || (!more && stream.avail_out > 0))
            throw InputError(fmt::format("{}: the gzip data is damaged or cut off at byte {}; copy it again", name,
                                         given - stream.avail_in));
    }
}

std::string io::gzipped(std::string_view content) {
    z_stream stream{};
    if (deflateInit2(&stream, Z_DEFAULT_COMPRESSION, Z_DEFLATED, kGzipWindow, 8, Z_DEFAULT_STRATEGY) != Z_OK)
        throw FailureError("the data cannot be compressed: out of memory");
    const std::unique_ptr<z_stream, int (*)(z_stream*)> guard(&stream, deflateEnd);
    std::string out;
    std::size_t given = 0;
    int status = Z_OK;
    while (status != Z_STREAM_END) {
        feed(stream, content, given);
        const std::size_t before = out.size();
        out.resize(before + kBlock);
        stream.next_out = reinterpret_cast<Bytef*>(out.data() + before);
        stream.avail_out = static_cast<uInt>(kBlock);
        status = deflate(&stream, given == content.size() ? Z_FINISH : Z_NO_FLUSH);
        out.resize(out.size() - stream.avail_out);
        if (status == Z_STREAM_ERROR) throw FailureError("the data cannot be compressed");
    }
    return out;
}

}  // namespace anvilcast
