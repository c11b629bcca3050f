#include "app/controls/Commands.h"

#include <QCoreApplication>
#include <QSettings>

namespace orthochron::app {

namespace {

CommandSpec
spec(Command command, const char* id, const char* menu, const char* text, const char* keys)
{
    const auto say = [](const char* words) {
        return QCoreApplication::translate("Commands", words);
    };
    return {command, QLatin1String(id), say(menu), say(text), QLatin1String(keys), false};
}

// The first of a group within its menu.
CommandSpec
group(Command command, const char* id, const char* menu, const char* text, const char* keys)
{
    CommandSpec first = spec(command, id, menu, text, keys);
    first.beginsGroup = true;
    return first;
}

}  // namespace

// The left hand plays, steps and acts on a row of letters (A D step, F acts, E R V look and
// listen) while the right hand points.
const std::vector<CommandSpec>& commandTable()
{
    using C = Command;
    static const std::vector<CommandSpec> kTable{
        spec(C::NewSong, "new", "Song", "New song", "Ctrl+N"),
        spec(C::OpenSong, "open", "Song", "Open…", "Ctrl+O"),
        spec(C::UnsavedSongs, "unsaved", "Song", "Unsaved songs…", ""),
        spec(C::OpenDemo, "demo", "Song", "Demo song", ""),
        group(C::Import, "import", "Song", "Import takes…", "Ctrl+I"),
        group(C::Save, "save", "Song", "Save", "Ctrl+S"),
        spec(C::SaveAs, "save-as", "Song", "Save as…", "Ctrl+Shift+S"),
        group(C::Quit, "quit", "Song", "Quit", "Ctrl+Q"),
        spec(C::Undo, "undo", "Edit", "Undo", "Ctrl+Z"),
        spec(C::Redo, "redo", "Edit", "Redo", "Ctrl+Shift+Z"),
        group(C::Remove, "remove", "Edit", "Delete mark", "Del"),
        group(C::MakeSet, "make-set", "Edit", "Make mic set", "Ctrl+M"),
        spec(C::OpenSet, "open-set", "Edit", "Open mic set", "Ctrl+Shift+M"),
        spec(C::FoldSet, "fold-set", "Edit", "Fold mic set to its leads", "Ctrl+F"),
        group(C::RenameTrack, "rename-track", "Edit", "Rename track…", "F2"),
        spec(C::RemoveTrack, "remove-track", "Edit", "Remove track", "Ctrl+Del"),
        spec(C::HideTrack, "hide-track", "Edit", "Hide track", "Ctrl+H"),
        spec(C::ShowAll, "show-all", "Edit", "Show hidden tracks", "Ctrl+Shift+H"),
        group(C::TrackUp, "track-up", "Edit", "Track up", "Ctrl+Up"),
        spec(C::TrackDown, "track-down", "Edit", "Track down", "Ctrl+Down"),
        spec(C::PlayStop, "play", "Play", "Play or stop", "Space"),
        group(C::ToStart, "to-start", "Play", "To the start", "Home"),
        spec(C::BarBack, "bar-back", "Play", "A bar back", "PgUp"),
        spec(C::BarOn, "bar-on", "Play", "A bar on", "PgDown"),
        group(C::Loop, "loop", "Play", "Loop the chosen range", "L"),
        spec(C::SwitchSide, "switch-side", "Play", "Recorded or edited", "R"),
        spec(C::Click, "click", "Play", "Click", "P"),
        group(C::Mute, "mute", "Play", "Mute track", "M"),
        spec(C::Solo, "solo", "Play", "Solo track", "O"),
        spec(C::Hear, "hear", "Play", "Hear around it", "H"),
        group(C::PlaySlower, "play-slower", "Play", "Play slower", "Alt+Left"),
        spec(C::PlayFaster, "play-faster", "Play", "Play faster", "Alt+Right"),
        spec(C::PlayPlain, "play-plain", "Play", "Play at the song's own rate", "Alt+Home"),
        group(C::ChooseSoundCard, "sound-card", "Play", "Sound card…", ""),
        spec(C::Next, "next", "Stage", "Next (mark, stray, join)", "D"),
        spec(C::Previous, "previous", "Stage", "Previous (mark, stray, join)", "A"),
        spec(C::MainAction, "main-action", "Stage", "The stage's main action", "F"),
        spec(C::TapTempo, "tap-tempo", "Stage", "Tap the tempo", "K"),
        group(C::AddMark, "add-mark", "Stage", "Add mark at the playhead", "Ins"),
        spec(C::ZoomToMark, "zoom-to-mark", "Stage", "Zoom to the mark's samples", "Shift+E"),
        group(C::NudgeBackFine, "nudge-back-sample", "Stage", "Nudge back by a sample", "Left"),
        spec(C::NudgeOnFine, "nudge-on-sample", "Stage", "Nudge on by a sample", "Right"),
        spec(C::NudgeBack, "nudge-back", "Stage", "Nudge back by 0.1 ms", "Shift+Left"),
        spec(C::NudgeOn, "nudge-on", "Stage", "Nudge on by 0.1 ms", "Shift+Right"),
        spec(C::NudgeBackCoarse, "nudge-back-ms", "Stage", "Nudge back by 1 ms", "Ctrl+Left"),
        spec(C::NudgeOnCoarse, "nudge-on-ms", "Stage", "Nudge on by 1 ms", "Ctrl+Right"),
        group(C::Mend, "mend", "Stage", "Mend the join", "N"),
        spec(C::Accept, "accept", "Stage", "Keep it as it is (doubtful mark, join)", "Y"),
        spec(C::LockJoin, "lock-join", "Stage", "Lock or unlock the join", "Ctrl+L"),
        group(C::HushBars, "hush", "Stage", "Hush the chosen bars, or end it", "Shift+H"),
        spec(C::HushOthers, "hush-others", "Stage", "Hush all other tracks there", "Shift+O"),
        spec(C::FadeSongOut, "fade-out", "Stage", "Fade the song out", "Shift+F"),
        spec(C::FadeSongIn, "fade-in", "Stage", "Fade the song in", ""),
        group(C::NoteUp, "note-up", "Stage", "Notes or clips a semitone up", "Alt+Up"),
        spec(C::NoteDown, "note-down", "Stage", "Notes or clips a semitone down", "Alt+Down"),
        spec(C::NoteUpFine, "note-up-fine", "Stage", "Notes or clips 5 cents up", "Alt+Shift+Up"),
        spec(
            C::NoteDownFine,
            "note-down-fine",
            "Stage",
            "Notes or clips 5 cents down",
            "Alt+Shift+Down"
        ),
        spec(C::OctaveUp, "octave-up", "Stage", "Notes or clips an octave up", "Ctrl+Alt+Up"),
        spec(
            C::OctaveDown, "octave-down", "Stage", "Notes or clips an octave down", "Ctrl+Alt+Down"
        ),
        spec(C::ReadHigher, "read-higher", "Stage", "Notes were found an octave low", "Alt+PgUp"),
        spec(C::ReadLower, "read-lower", "Stage", "Notes were found an octave high", "Alt+PgDown"),

        spec(C::OtherWay, "other-way", "Clips", "Hear the other way kept", "Z"),
        spec(C::KeepWay, "keep-way", "Clips", "Keep this way, try another", "Shift+Z"),
        spec(C::DropWays, "drop-ways", "Clips", "Keep only this way", ""),
        group(C::SplitPlayhead, "split", "Clips", "Split at the playhead or range", "I"),
        spec(C::SplitMarks, "split-marks", "Clips", "Split at marks", "Shift+I"),
        spec(C::SplitGrid, "split-grid", "Clips", "Split at grid lines", "Ctrl+Shift+I"),
        spec(C::JoinClips, "join-clips", "Clips", "Join continuous clips", "U"),
        group(C::MuteClips, "mute-clips", "Clips", "Mute clips", "Shift+M"),
        spec(C::ReverseClips, "reverse-clips", "Clips", "Reverse clips", "Shift+R"),
        group(C::LockClips, "lock-clips", "Clips", "Lock or unlock clips", "Shift+L"),
        spec(C::LockSet, "lock-set", "Clips", "Lock or unlock the mic set", "Ctrl+Shift+L"),
        group(C::CopyClips, "copy", "Clips", "Copy clips", "Ctrl+C"),
        spec(C::CutClips, "cut", "Clips", "Cut clips out", "Ctrl+X"),
        spec(C::PasteClips, "paste", "Clips", "Paste clips at the playhead", "Ctrl+V"),
        spec(C::DuplicateClips, "duplicate", "Clips", "Duplicate clips", "Ctrl+D"),
        spec(C::DeleteClips, "delete-clips", "Clips", "Delete clips", "Shift+Del"),
        group(
            C::ClipsOfTrack, "clips-of-track", "Clips", "Choose all clips of the track", "Ctrl+A"
        ),
        spec(C::ClipsOfSet, "clips-of-set", "Clips", "Choose all clips of the set", "Ctrl+Shift+A"),
        spec(C::ClipsInRange, "clips-in-range", "Clips", "Choose clips in the range", "Shift+X"),
        group(C::ClipUp, "clip-up", "Clips", "Move clip to the track above", "Ctrl+Shift+Up"),
        spec(C::ClipDown, "clip-down", "Clips", "Move clip to the track below", "Ctrl+Shift+Down"),
        group(C::SlipBack, "slip-back", "Clips", "Slip back by 1 ms", "Ctrl+Shift+Left"),
        spec(C::SlipOn, "slip-on", "Clips", "Slip on by 1 ms", "Ctrl+Shift+Right"),
        spec(C::ZoomIn, "zoom-in", "View", "Zoom in", "Up"),
        spec(C::ZoomOut, "zoom-out", "View", "Zoom out", "Down"),
        group(C::ZoomSelection, "zoom-selection", "View", "Zoom to the chosen range", "E"),
        spec(C::ZoomAll, "zoom-all", "View", "Zoom to all", "Shift+A"),
        group(C::Follow, "follow", "View", "Follow the playhead", "Ctrl+G"),
        group(C::LanesHigher, "lanes-higher", "View", "Lanes higher", "Shift+Up"),
        spec(C::LanesLower, "lanes-lower", "View", "Lanes lower", "Shift+Down"),
        group(C::NightSheet, "night", "View", "Night sheet", "F9"),
        spec(C::LargerType, "larger-type", "View", "Larger type", "Ctrl+."),
        spec(C::SmallerType, "smaller-type", "View", "Smaller type", "Ctrl+,"),
        group(C::StageTakes, "stage-1", "View", "Takes", "1"),
        spec(C::StageGrid, "stage-2", "View", "Grid", "2"),
        spec(C::StageMarks, "stage-3", "View", "Marks", "3"),
        spec(C::StageFit, "stage-4", "View", "Fit", "4"),
        spec(C::StageJoins, "stage-5", "View", "Joins", "5"),
        spec(C::StageTune, "stage-6", "View", "Tune", "6"),
        spec(C::StageShape, "stage-7", "View", "Shape", "7"),
        spec(C::StageSounds, "stage-8", "View", "Sounds", "8"),
        spec(C::StagePrint, "stage-9", "View", "Print", "9"),
        spec(C::Tour, "tour", "Help", "The tour: the demo song, step by step…", "F1"),
        spec(C::Shortcuts, "shortcuts", "Help", "The keys…", ""),
        group(C::About, "about", "Help", "About Orthochron…", ""),
    };
    return kTable;
}

QKeySequence keysOf(const CommandSpec& spec)
{
    return QKeySequence(QSettings().value(QStringLiteral("keys/") + spec.id, spec.keys).toString());
}

void setKeys(const CommandSpec& spec, const QKeySequence& keys)
{
    QSettings().setValue(QStringLiteral("keys/") + spec.id, keys.toString());
}

QString shortcutsDocument()
{
    QString text = QStringLiteral(
        "# Shortcuts\n\nMade from the table in the code by `orthochron --list-shortcuts`. All can "
        "be changed in Help › The keys.\n"
        "The key left of 1, held, shows the stage one came from and returns on release.\n"
    );
    QString menu;
    for (const CommandSpec& spec : commandTable()) {
        if (spec.menu != menu) {
            menu = spec.menu;
            text += QStringLiteral("\n## %1\n\n| what | keys |\n|---|---|\n").arg(menu);
        }
        text += QStringLiteral("| %1 | %2 |\n").arg(spec.text, spec.keys);
    }
    return text;
}

}  // namespace orthochron::app
