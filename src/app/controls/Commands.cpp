#include "app/controls/Commands.h"

#include <QCoreApplication>
#include <QSettings>

namespace orthochron::app {

namespace {

QString said(const char* words)
{
    return QCoreApplication::translate("Commands", words);
}

CommandSpec spec(
    Command command,
    const char* id,
    const char* menu,
    const char* text,
    const char* keys,
    const char* second = ""
)
{
    CommandSpec made;
    made.command = command;
    made.id = QLatin1String(id);
    made.menu = said(menu);
    made.text = said(text);
    made.keys = QLatin1String(keys);
    made.second = QLatin1String(second);
    return made;
}

// Does what a button of a stage does, and shows it there.
CommandSpec
bench(Command command, const char* id, const char* menu, const char* text, const char* presses)
{
    CommandSpec made = spec(command, id, menu, text, "");
    made.presses = QLatin1String(presses);
    return made;
}

// The first of a group within its menu.
CommandSpec group(CommandSpec first)
{
    first.beginsGroup = true;
    return first;
}

QString nameOfKeys(const CommandSpec& spec)
{
    return QStringLiteral("keys/") + spec.id;
}

QString nameOfSecond(const CommandSpec& spec)
{
    return QStringLiteral("second-keys/") + spec.id;
}

}  // namespace

// The left hand plays, steps and acts on three rows of letters while the right hand points. Keys that
// some laptops give only with Fn have a second.
const std::vector<CommandSpec>& commandTable()
{
    using C = Command;
    static const std::vector<CommandSpec> kTable{
        spec(C::NewSong, "new", "Song", "New song", "Ctrl+N"),
        spec(C::OpenSong, "open", "Song", "Open…", "Ctrl+O"),
        spec(C::UnsavedSongs, "unsaved", "Song", "Unsaved songs…", ""),
        spec(C::OpenDemo, "demo", "Song", "Demo song", ""),
        group(spec(C::Import, "import", "Song", "Import takes…", "Ctrl+I")),
        group(spec(C::Save, "save", "Song", "Save", "Ctrl+S")),
        spec(C::SaveAs, "save-as", "Song", "Save as…", "Ctrl+Shift+S"),
        spec(C::CollectSong, "collect", "Song", "Collect song…", ""),
        group(spec(C::Preferences, "preferences", "Song", "Preferences…", "Ctrl+,")),
        spec(C::Quit, "quit", "Song", "Quit", "Ctrl+Q"),
        spec(C::Undo, "undo", "Edit", "Undo", "Ctrl+Z"),
        spec(C::Redo, "redo", "Edit", "Redo", "Ctrl+Shift+Z", "Ctrl+Y"),
        group(spec(C::Remove, "delete", "Edit", "Delete", "Del", "Backspace")),
        spec(C::SelectAll, "select-all", "Edit", "Select all", "Ctrl+A"),
        spec(C::SelectNone, "select-none", "Edit", "Select none", "Ctrl+Shift+A"),
        spec(C::Find, "find", "Edit", "Find…", "Ctrl+F"),
        group(spec(C::MakeSet, "make-set", "Edit", "Make mic set", "Ctrl+M")),
        spec(C::UngroupSet, "ungroup-set", "Edit", "Ungroup mic set", "Ctrl+Shift+M"),
        spec(C::CollapseSet, "collapse-set", "Edit", "Collapse mic set", "Ctrl+B"),
        group(spec(C::RenameTrack, "rename-track", "Edit", "Rename track…", "F2", "Ctrl+E")),
        spec(C::RemoveTrack, "delete-track", "Edit", "Delete track", "Ctrl+Del", "Ctrl+Backspace"),
        spec(C::HideTrack, "hide-track", "Edit", "Hide track", "Ctrl+H"),
        spec(C::ShowAll, "show-all", "Edit", "Show hidden tracks", "Ctrl+Shift+H"),
        group(spec(C::TrackAbove, "track-above", "Edit", "Select track above", "Up")),
        spec(C::TrackBelow, "track-below", "Edit", "Select track below", "Down"),
        spec(C::TrackUp, "track-up", "Edit", "Move track up", "Ctrl+Up"),
        spec(C::TrackDown, "track-down", "Edit", "Move track down", "Ctrl+Down"),
        spec(C::PlayStop, "play", "Play", "Play or stop", "Space"),
        group(spec(C::ToStart, "to-start", "Play", "Go to start", "Home", "Shift+,")),
        spec(C::ToEnd, "to-end", "Play", "Go to end", "End", "Shift+."),
        spec(C::BarBack, "bar-back", "Play", "Bar back", "PgUp", ","),
        spec(C::BarOn, "bar-on", "Play", "Bar forward", "PgDown", "."),
        group(spec(C::Loop, "loop", "Play", "Loop selected range", "L")),
        spec(C::SwitchSide, "switch-side", "Play", "Recorded or edited", "R"),
        spec(C::Click, "click", "Play", "Click", "P"),
        group(spec(C::Mute, "mute", "Play", "Mute track", "M")),
        spec(C::Solo, "solo", "Play", "Solo track", "O"),
        spec(C::Hear, "play-around", "Play", "Play selection", "H"),
        group(spec(C::PlaySlower, "play-slower", "Play", "Play slower", "Alt+Left")),
        spec(C::PlayFaster, "play-faster", "Play", "Play faster", "Alt+Right"),
        spec(C::NormalSpeed, "normal-speed", "Play", "Normal speed", "Alt+Home", "Ctrl+R"),
        group(spec(C::ChooseSoundCard, "sound-card", "Play", "Sound card…", "")),
        spec(C::Next, "next", "Stage", "Next", "D"),
        spec(C::Previous, "previous", "Stage", "Previous", "A"),
        spec(C::MainAction, "main-action", "Stage", "Main action", "F"),
        group(spec(C::AddMark, "add-mark", "Stage", "Add mark", "T", "Ins")),
        spec(C::ZoomToMark, "zoom-to-mark", "Stage", "Zoom to mark", "Shift+V"),
        group(spec(C::NudgeBackFine, "nudge-back-sample", "Stage", "Nudge −1 sample", "Left")),
        spec(C::NudgeOnFine, "nudge-on-sample", "Stage", "Nudge +1 sample", "Right"),
        spec(C::NudgeBack, "nudge-back", "Stage", "Nudge −0.1 ms", "Shift+Left"),
        spec(C::NudgeOn, "nudge-on", "Stage", "Nudge +0.1 ms", "Shift+Right"),
        spec(C::NudgeBackCoarse, "nudge-back-ms", "Stage", "Nudge −1 ms", "Ctrl+Left"),
        spec(C::NudgeOnCoarse, "nudge-on-ms", "Stage", "Nudge +1 ms", "Ctrl+Right"),
        group(spec(C::Accept, "accept", "Stage", "Accept", "Y")),
        spec(C::Mend, "mend", "Stage", "Mend join", "N"),
        spec(C::LockJoin, "lock-join", "Stage", "Lock join", "J"),
        bench(C::LockAllJoins, "lock-all-joins", "Stage", "Lock all joins", "Joins/lockAll"),
        bench(C::ExportReport, "export-report", "Stage", "Export report…", "Joins/joinReport"),
        group(spec(C::SwitchPrint, "switch-print", "Stage", "Printed or live", "Shift+P")),
        spec(C::OpenPrint, "open-print", "Stage", "Open print again", "Ctrl+Shift+P"),
        bench(C::OneTempo, "one-tempo", "Grid", "One tempo", "Grid/waySteady"),
        bench(
            C::FollowPerformance,
            "follow-performance",
            "Grid",
            "Follow performance",
            "Grid/wayFollow"
        ),
        bench(C::ExtractLoop, "loop-page", "Grid", "Extract loop", "Grid/wayLoop"),
        group(spec(C::TapTempo, "tap-tempo", "Grid", "Tap tempo", "K")),
        bench(C::FindTempo, "find-tempo", "Grid", "Find tempo", "Grid/waySteady/findTempo"),
        bench(C::BarOneHere, "bar-one-here", "Grid", "Bar 1 here", "Grid/waySteady/downbeatHere"),
        bench(C::DraftBars, "draft-bars", "Grid", "Draft bars", "Grid/wayFollow/draftBars"),
        group(bench(C::ImportMap, "import-map", "Grid", "Import map…", "Grid/wayFollow/readMap")),
        bench(C::ExportMap, "export-map", "Grid", "Export map…", "Grid/wayFollow/writeMap"),
        bench(C::SimplifyMap, "simplify-map", "Grid", "Simplify map", "Grid/wayFollow/simplify"),
        bench(C::Guide, "guide", "Grid", "Import guide…", "Grid/wayFollow/guide"),
        bench(
            C::MarksFromGuide,
            "marks-from-guide",
            "Grid",
            "Marks from guide",
            "Grid/wayFollow/markByGuide"
        ),
        group(spec(C::NewSection, "new-section", "Grid", "New section…", "")),
        spec(C::RenameSection, "rename-section", "Grid", "Rename section…", ""),
        spec(C::DeleteSection, "delete-section", "Grid", "Delete section", ""),
        bench(C::FindHits, "find-hits", "Fit", "Find hits", "Marks/wayFind/findHits"),
        bench(
            C::ReviewDoubtful,
            "review-doubtful",
            "Fit",
            "Review doubtful marks",
            "Marks/wayDoubtful"
        ),
        bench(
            C::FindBeatPoints,
            "find-beat-points",
            "Fit",
            "Find beat points",
            "Marks/wayFind/findBeatPoints"
        ),
        group(bench(C::FitCut, "fit-cut", "Fit", "Cut", "Fit/wayCut")),
        bench(C::FitStretch, "fit-stretch", "Fit", "Stretch", "Fit/wayStretch"),
        bench(C::FitByHand, "fit-by-hand", "Fit", "By hand", "Fit/wayByHand"),
        bench(C::ResetFit, "reset-fit", "Fit", "Reset fit", "Fit/wayCut/asRecorded"),
        group(spec(C::NextVersion, "next-version", "Fit", "Next version", "Z")),
        spec(C::StoreVersion, "store-version", "Fit", "Store version", "Shift+Z"),
        spec(C::DropVersions, "delete-versions", "Fit", "Delete other versions", ""),
        group(bench(C::CloseGaps, "close-gaps", "Fit", "Close gaps", "Fit/wayByHand/stepGapsStep")),
        bench(
            C::ShortenOverlaps,
            "shorten-overlaps",
            "Fit",
            "Shorten overlaps",
            "Fit/wayByHand/stepOverlapsStep"
        ),
        bench(C::CutAtHits, "cut-at-hits", "Fit", "Cut at hits", "Fit/wayByHand/stepCutStep"),
        bench(C::MoveJoins, "move-joins", "Fit", "Move joins", "Fit/wayByHand/stepEarlierStep"),
        spec(C::SplitPlayhead, "split", "Clips", "Split", "I"),
        spec(C::SplitMarks, "split-marks", "Clips", "Split at marks", "Shift+I"),
        spec(C::SplitGrid, "split-grid", "Clips", "Split at grid", "Ctrl+Shift+I"),
        spec(C::JoinClips, "join-clips", "Clips", "Join clips", "U"),
        group(spec(C::MuteClips, "mute-clips", "Clips", "Mute clips", "Shift+M")),
        spec(C::ReverseClips, "reverse-clips", "Clips", "Reverse clips", "Shift+R"),
        group(spec(C::LockClips, "lock-clips", "Clips", "Lock clips", "Shift+L")),
        spec(C::LockSet, "lock-set", "Clips", "Lock mic set", "Ctrl+Shift+L"),
        group(spec(C::CutClips, "cut", "Clips", "Cut", "Ctrl+X")),
        spec(C::CopyClips, "copy", "Clips", "Copy", "Ctrl+C"),
        spec(C::PasteClips, "paste", "Clips", "Paste", "Ctrl+V"),
        spec(C::DuplicateClips, "duplicate", "Clips", "Duplicate", "Ctrl+D"),
        spec(
            C::DeleteClips, "delete-clips", "Clips", "Delete clips", "Shift+Del", "Shift+Backspace"
        ),
        group(spec(C::ClipsInRange, "clips-in-range", "Clips", "Select range clips", "Shift+X")),
        spec(C::ClipUp, "clip-up", "Clips", "Move clip up", "Ctrl+Shift+Up"),
        spec(C::ClipDown, "clip-down", "Clips", "Move clip down", "Ctrl+Shift+Down"),
        spec(C::SlipBack, "slip-back", "Clips", "Slip −1 ms", "Ctrl+Shift+Left"),
        spec(C::SlipOn, "slip-on", "Clips", "Slip +1 ms", "Ctrl+Shift+Right"),
        spec(C::NoteUp, "note-up", "Tune", "Semitone up", "Alt+Up"),
        spec(C::NoteDown, "note-down", "Tune", "Semitone down", "Alt+Down"),
        spec(C::NoteUpFine, "note-up-fine", "Tune", "5 cents up", "Alt+Shift+Up"),
        spec(C::NoteDownFine, "note-down-fine", "Tune", "5 cents down", "Alt+Shift+Down"),
        spec(C::OctaveUp, "octave-up", "Tune", "Octave up", "Alt+PgUp", "Shift+U"),
        spec(C::OctaveDown, "octave-down", "Tune", "Octave down", "Alt+PgDown", "Shift+J"),
        group(spec(
            C::CorrectOctaveUp,
            "correct-octave-up",
            "Tune",
            "Correct octave up",
            "Ctrl+PgUp",
            "Ctrl+U"
        )),
        spec(
            C::CorrectOctaveDown,
            "correct-octave-down",
            "Tune",
            "Correct octave down",
            "Ctrl+PgDown",
            "Ctrl+J"
        ),
        bench(C::SplitNote, "split-note", "Tune", "Split note", "Tune/splitNote"),
        bench(C::MergeNotes, "merge-notes", "Tune", "Merge notes", "Tune/mergeNotes"),
        bench(C::NotANote, "not-a-note", "Tune", "Not a note", "Tune/noNote"),
        bench(C::ResetNotes, "reset-notes", "Tune", "Reset notes", "Tune/asFound"),
        group(bench(C::ResetTuning, "reset-tuning", "Tune", "Reset tuning", "Tune/asSung")),
        bench(C::FitTiming, "fit-timing", "Tune", "Fit timing", "Tune/intoTime"),
        bench(C::MarkStarts, "mark-starts", "Tune", "Add marks", "Tune/markStarts"),
        spec(C::HushBars, "hush", "Shape", "Hush selection", "Shift+H"),
        spec(C::HushOthers, "hush-others", "Shape", "Hush other tracks", "Shift+O"),
        group(spec(C::FadeSongOut, "fade-out", "Shape", "Fade song out", "Shift+F")),
        spec(C::FadeSongIn, "fade-in", "Shape", "Fade song in", ""),
        bench(C::EndHere, "end-here", "Shape", "End here", "Shape/endHere"),
        group(bench(C::LineEnds, "line-ends", "Shape", "Select line ends", "Shape/lineEnds")),
        bench(C::ClearRange, "clear-range", "Shape", "Clear range", "Shape/clearRange"),
        bench(C::ResetLine, "reset-line", "Shape", "Reset line", "Shape/resetLine"),
        group(bench(C::SpinUp, "spin-up", "Shape", "Spin up", "Shape/spinUp")),
        bench(C::SpinDown, "spin-down", "Shape", "Spin down", "Shape/spinDown"),
        bench(C::DeleteSpins, "delete-spins", "Shape", "Delete spins", "Shape/noSpin"),
        spec(C::ZoomIn, "zoom-in", "View", "Zoom in", "W"),
        spec(C::ZoomOut, "zoom-out", "View", "Zoom out", "S"),
        group(spec(C::ZoomSelection, "zoom-selection", "View", "Zoom to range", "V")),
        spec(C::ZoomAll, "zoom-all", "View", "Zoom to all", "Shift+A"),
        group(spec(C::Follow, "follow", "View", "Follow playhead", "Ctrl+G")),
        group(spec(C::LanesHigher, "lanes-higher", "View", "Taller lanes", "Shift+Up")),
        spec(C::LanesLower, "lanes-lower", "View", "Shorter lanes", "Shift+Down"),
        group(spec(C::DarkTheme, "dark-theme", "View", "Dark theme", "F9", "Ctrl+Shift+D")),
        spec(C::LargerType, "larger-type", "View", "Larger type", "Ctrl++", "Ctrl+="),
        spec(C::SmallerType, "smaller-type", "View", "Smaller type", "Ctrl+-"),
        group(spec(C::StageTakes, "stage-1", "View", "Takes", "1")),
        spec(C::StageGrid, "stage-2", "View", "Grid", "2"),
        spec(C::StageMarks, "stage-3", "View", "Marks", "3"),
        spec(C::StageFit, "stage-4", "View", "Fit", "4"),
        spec(C::StageJoins, "stage-5", "View", "Joins", "5"),
        spec(C::StageTune, "stage-6", "View", "Tune", "6"),
        spec(C::StageShape, "stage-7", "View", "Shape", "7"),
        spec(C::StageSounds, "stage-8", "View", "Sounds", "8"),
        spec(C::StagePrint, "stage-9", "View", "Print", "9"),
        spec(C::Tour, "tour", "Help", "Tour…", "F1", "Ctrl+Shift+T"),
        spec(C::Shortcuts, "shortcuts", "Help", "Shortcuts…", ""),
        group(spec(C::About, "about", "Help", "About Orthochron…", "")),
    };
    return kTable;
}

QList<QKeySequence> keysOf(const CommandSpec& spec)
{
    const QSettings settings;
    QList<QKeySequence> keys;
    for (const auto& [name, delivered] :
         {std::pair{nameOfKeys(spec), spec.keys}, std::pair{nameOfSecond(spec), spec.second}}) {
        keys << QKeySequence(settings.value(name, delivered).toString());
    }
    return keys;
}

void setKeys(const CommandSpec& spec, const QList<QKeySequence>& keys)
{
    QSettings settings;
    settings.setValue(nameOfKeys(spec), keys.value(0).toString());
    settings.setValue(nameOfSecond(spec), keys.value(1).toString());
}

const CommandSpec* alreadyUsing(
    const QKeySequence& keys,
    std::size_t except,
    const std::function<QList<QKeySequence>(std::size_t)>& keysAt
)
{
    const auto& table = commandTable();
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (i != except && !keys.isEmpty() && keysAt(i).contains(keys)) {
            return &table[i];
        }
    }
    return nullptr;
}

QString shortcutsDocument()
{
    QString text = QStringLiteral(
        "# Shortcuts\n\nMade from the table in the code by `orthochron --list-shortcuts`. All can "
        "be changed in Help › Shortcuts.\n"
        "Hold the key left of 1 to show the previous stage.\n"
        "Space plays, except where a button, a checkbox, a list or a text field has the focus.\n"
    );
    QString menu;
    for (const CommandSpec& spec : commandTable()) {
        if (spec.menu != menu) {
            menu = spec.menu;
            text += QStringLiteral("\n## %1\n\n| command | keys |\n|---|---|\n").arg(menu);
        }
        const QString or_ =
            spec.second.isEmpty() ? QString() : QStringLiteral(" or ") + spec.second;
        text += QStringLiteral("| %1 | %2%3 |\n").arg(spec.text, spec.keys, or_);
    }
    return text;
}

}  // namespace orthochron::app
