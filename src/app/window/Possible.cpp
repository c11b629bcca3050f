#include "app/window/Possible.h"

#include <algorithm>

namespace orthochron::app {

namespace {

bool hasClips(const Song& song)
{
    return std::ranges::any_of(song.tracks, [](const auto& track) {
        return !track->clips.empty();
    });
}

bool isAboutTracks(Command command, const Session& session)
{
    const Song& song = session.song();
    const MicSet* set = session.choice.set();
    switch (command) {
    case Command::MakeSet: return std::ranges::count_if(song.sets, &MicSet::isLone) > 1;
    case Command::UngroupSet:
    case Command::CollapseSet: return set != nullptr && !set->isLone();
    case Command::ShowAll:
        return std::ranges::any_of(song.tracks, [](const auto& track) { return track->isHidden; });
    default: return song.track(session.choice.track()) != nullptr;
    }
}

bool isAboutClips(Command command, const Session& session)
{
    const MicSet* set = session.choice.set();
    switch (command) {
    case Command::NextVersion:
    case Command::DropVersions: return set != nullptr && !set->variants.empty();
    case Command::StoreVersion: return set != nullptr && set->recipe != nullptr;
    case Command::ClipsInRange: return session.choice.range().has_value();
    default: return hasClips(session.song());
    }
}

}  // namespace

bool isPossible(Command command, const Session& session)
{
    using C = Command;
    const Song& song = session.song();
    const History& history = session.document.history();
    switch (command) {
    case C::Undo: return history.canUndo();
    case C::Redo: return history.canRedo();
    case C::ZoomToMark: return session.choice.mark().isValid();
    case C::MakeSet:
    case C::UngroupSet:
    case C::CollapseSet:
    case C::RenameTrack:
    case C::RemoveTrack:
    case C::HideTrack:
    case C::ShowAll:
    case C::TrackUp:
    case C::TrackDown:
    case C::Mute:
    case C::Solo: return isAboutTracks(command, session);
    case C::Loop:
    case C::ZoomSelection: return session.choice.range().has_value();
    case C::SwitchSide:
        return std::ranges::any_of(song.sets, [](const MicSet& set) {
            return set.recipe != nullptr;
        });
    case C::PlayStop:
    case C::Hear:
    case C::Next:
    case C::Previous:
    case C::MainAction: return hasClips(song);
    case C::AddMark: {
        const auto track = song.track(session.choice.track());
        return track && song.isLead(*track);
    }
    case C::Accept: return !session.review.joins().empty() || session.choice.mark().isValid();
    case C::Mend:
    case C::LockJoin: return !session.review.joins().empty();
    default: break;
    }
    const bool isOfClips = (command >= C::NextVersion && command <= C::DropVersions) ||
                           (command >= C::SplitPlayhead && command <= C::SlipOn);
    return !isOfClips || isAboutClips(command, session);
}

}  // namespace orthochron::app
