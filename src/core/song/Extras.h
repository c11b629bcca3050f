#pragma once

#include <memory>
#include <string>

namespace orthochron {

// What a newer program put into a part of a song file and this one does not know: kept as it was
// read (a JSON object as text) and written back with that part. Nearly always nothing.
struct Extras {
    std::shared_ptr<const std::string> text;

    bool operator==(const Extras& other) const
    {
        return text == other.text || (text && other.text && *text == *other.text);
    }
};

}  // namespace orthochron
