#pragma once

#include "core/onset/AttackTrace.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// An attack as it was found by itself.
struct FoundAttack {
    const AttackTrace* trace = nullptr;
    Seconds start;               // from the trace's centre, within -12 to 1 ms
    bool isSure = true;          // shapes are learned from those that are
    std::vector<Seconds> ahead;  // what rises before that, from the centre too: it may begin there
    std::vector<Seconds> othersBlows{};  // when other drums are struck, likewise
};

// Where each attack begins, from its trace's centre, once it is known how the drum's strokes begin; none
// for those that no kind of stroke explains.
//
// A stroke by itself shows its beginning only as far as it stands out: a beater's click, a soft stroke's
// slow rise may drown where another drum sounds, and what comes just before may be taken for it. But a
// drum's strokes resemble each other. They are sorted into a few kinds by how their level goes (loud and
// soft, then each by shape), each kind is lined up stroke by stroke with what is common to it (medians,
// so that bleed of some says nothing), and the kind begins, seen from there, where many of its strokes
// were found to begin or show a rise ahead: at the earliest such place, for what hides a beginning makes it
// late. Two kinds that are the same strokes, in the clear and under something else, begin alike. Of kinds that
// explain a stroke about equally well that counts which has it begin earliest. Where another drum is known to arrive
// it hardly begins. What is heard in full from where it was found on begins there, unless its kind fits far better
// elsewhere and tells what comes before it: a stroke of a rare kind is explained by none. The further ahead it would
// begin, the better its kind has to explain it.
[[nodiscard]] std::vector<std::optional<Seconds>> startsByShape(std::span<const FoundAttack> attacks
);

}  // namespace orthochron
