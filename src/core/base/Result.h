#pragma once

#include <tl/expected.hpp>

#include <string>

// How a failure is told. Ordinary failures (a file, an analysis) travel as values: they cross
// threads and always name their file. Broken preconditions are bugs and are asserted instead.
namespace orthochron {

enum class ErrorKind {
    BadArgument,  // the caller asked for something that cannot be
    BadInput,     // a file is missing, unreadable or not what it claims to be
    Failed,       // the work itself failed: disk full, device gone
    Cancelled,    // stopped on request
};

// One line for the user: what happened, to which file, what to do.
struct Error {
    ErrorKind kind = ErrorKind::Failed;
    std::string message;
};

// To become std::expected once every tool reads C++23.
template<class T>
using Result = tl::expected<T, Error>;

[[nodiscard]] inline tl::unexpected<Error> badArgument(std::string message)
{
    return tl::unexpected(Error{ErrorKind::BadArgument, std::move(message)});
}
[[nodiscard]] inline tl::unexpected<Error> badInput(std::string message)
{
    return tl::unexpected(Error{ErrorKind::BadInput, std::move(message)});
}
[[nodiscard]] inline tl::unexpected<Error> failed(std::string message)
{
    return tl::unexpected(Error{ErrorKind::Failed, std::move(message)});
}
[[nodiscard]] inline tl::unexpected<Error> cancelled()
{
    return tl::unexpected(Error{ErrorKind::Cancelled, "stopped"});
}

}  // namespace orthochron
