#pragma once

#include <QKeySequence>
#include <QList>
#include <QString>

#include <functional>
#include <vector>

namespace orthochron::app {

// Everything that can be done with a key, in one table: the menus, the shortcuts dialog and
// docs/shortcuts.md are all made from it.
enum class Command {
    NewSong,
    OpenSong,
    UnsavedSongs,
    OpenDemo,
    Import,
    Save,
    SaveAs,
    CollectSong,
    Preferences,
    Quit,
    Undo,
    Redo,
    Remove,
    SelectAll,
    SelectNone,
    Find,
    MakeSet,
    UngroupSet,
    CollapseSet,
    RenameTrack,
    RemoveTrack,
    HideTrack,
    ShowAll,
    TrackAbove,
    TrackBelow,
    TrackUp,
    TrackDown,
    PlayStop,
    ToStart,
    ToEnd,
    BarBack,
    BarOn,
    Loop,
    SwitchSide,
    Click,
    Mute,
    Solo,
    Hear,
    PlaySlower,
    PlayFaster,
    NormalSpeed,
    ChooseSoundCard,
    Next,
    Previous,
    MainAction,
    AddMark,
    ZoomToMark,
    NudgeBackFine,
    NudgeOnFine,
    NudgeBack,
    NudgeOn,
    NudgeBackCoarse,
    NudgeOnCoarse,
    Accept,
    Mend,
    LockJoin,
    LockAllJoins,
    ExportReport,
    OneTempo,
    FollowPerformance,
    ExtractLoop,
    TapTempo,
    FindTempo,
    BarOneHere,
    DraftBars,
    ImportMap,
    ExportMap,
    SimplifyMap,
    Guide,
    MarksFromGuide,
    NewSection,
    RenameSection,
    DeleteSection,
    FindHits,
    ReviewDoubtful,
    FindBeatPoints,
    FitCut,
    FitStretch,
    FitByHand,
    ResetFit,
    NextVersion,
    StoreVersion,
    DropVersions,
    CloseGaps,
    ShortenOverlaps,
    CutAtHits,
    MoveJoins,
    SplitPlayhead,
    SplitMarks,
    SplitGrid,
    JoinClips,
    MuteClips,
    ReverseClips,
    LockClips,
    LockSet,
    CutClips,
    CopyClips,
    PasteClips,
    DuplicateClips,
    DeleteClips,
    ClipsInRange,
    ClipUp,
    ClipDown,
    SlipBack,
    SlipOn,
    SwitchPrint,
    OpenPrint,
    NoteUp,
    NoteDown,
    NoteUpFine,
    NoteDownFine,
    OctaveUp,
    OctaveDown,
    CorrectOctaveUp,
    CorrectOctaveDown,
    SplitNote,
    MergeNotes,
    NotANote,
    ResetNotes,
    ResetTuning,
    FitTiming,
    MarkStarts,
    HushBars,
    HushOthers,
    FadeSongOut,
    FadeSongIn,
    EndHere,
    LineEnds,
    ClearRange,
    ResetLine,
    SpinUp,
    SpinDown,
    DeleteSpins,
    ZoomIn,
    ZoomOut,
    ZoomSelection,
    ZoomAll,
    Follow,
    LanesHigher,
    LanesLower,
    DarkTheme,
    LargerType,
    SmallerType,
    StageTakes,
    StageGrid,
    StageMarks,
    StageFit,
    StageJoins,
    StageTune,
    StageShape,
    StageSounds,
    StagePrint,
    Tour,
    Shortcuts,
    About,
};

struct CommandSpec {
    Command command = Command::NewSong;
    QString id;    // stable, for the user's own shortcuts
    QString menu;  // "Song", "Edit", ...
    QString text;
    QString keys;    // as delivered
    QString second;  // for keyboards that give the first only with Fn; empty for none
    // The stage and the buttons whose names lead to what it does: "Fit/wayByHand/stepGaps".
    QString presses;
    bool beginsGroup = false;  // of its menu
};

[[nodiscard]] const std::vector<CommandSpec>& commandTable();
// The first and the second, with the user's own, if set.
[[nodiscard]] QList<QKeySequence> keysOf(const CommandSpec& spec);
void setKeys(const CommandSpec& spec, const QList<QKeySequence>& keys);
// The command, other than that at `except`, which has these keys already; null for none.
[[nodiscard]] const CommandSpec* alreadyUsing(
    const QKeySequence& keys,
    std::size_t except,
    const std::function<QList<QKeySequence>(std::size_t)>& keysAt
);

// docs/shortcuts.md.
[[nodiscard]] QString shortcutsDocument();

}  // namespace orthochron::app
