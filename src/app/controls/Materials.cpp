#include "app/controls/Materials.h"

#include <QCoreApplication>

namespace orthochron::app {

QString materialText(Material material)
{
    const auto say = [](const char* words) {
        return QCoreApplication::translate("Materials", words);
    };
    switch (material) {
    case Material::Hits: return say("hits");
    case Material::Line: return say("single notes");
    case Material::Blend: return say("chords");
    case Material::Tape: break;
    }
    return say("tape");
}

}  // namespace orthochron::app
