#pragma once

#include <nlohmann/json.hpp>

#include <string>

namespace orthochron::testkit {

using Json = nlohmann::ordered_json;

// Holds answers, an object of lists of rows, against those of tests/core/reference/`name`.json, what they were when
// that was last looked at. Other tests hold answers against the truth and bear a little error; this notices any
// change. Whoever changes an answer on purpose writes the files anew (ORTHOCHRON_ANEW=1 in the environment)
// and reads in their differences what became of it.
void expectAsBefore(const std::string& name, const Json& now);

}  // namespace orthochron::testkit
