#pragma once

#include <QKeySequence>
#include <QString>

#include <vector>

namespace orthochron::app {

// Everything that can be done with a key, in one table: the menus, the shortcuts dialog and
// docs/shortcuts.md are all made from it.
enum class Command {
    NewSong,
    OpenSong,
    OpenDemo,
    UnsavedSongs,
    Save,
    SaveAs,
    Import,
    Quit,
    Undo,
    Redo,
    Remove,
    MakeSet,
    OpenSet,
    FoldSet,
    RenameTrack,
    RemoveTrack,
    HideTrack,
    ShowAll,
    TrackUp,
    TrackDown,
    PlayStop,
    ToStart,
    Loop,
    SwitchSide,
    Click,
    Mute,
    Solo,
    Hear,
    PlaySlower,
    PlayFaster,
    PlayPlain,
    ChooseSoundCard,
    BarBack,
    BarOn,
    Next,
    Previous,
    MainAction,
    TapTempo,
    AddMark,
    ZoomToMark,
    NudgeBack,
    NudgeOn,
    NudgeBackFine,
    NudgeOnFine,
    NudgeBackCoarse,
    NudgeOnCoarse,
    Mend,
    Accept,
    LockJoin,
    HushBars,
    HushOthers,
    FadeSongOut,
    FadeSongIn,
    NoteUp,
    NoteDown,
    NoteUpFine,
    NoteDownFine,
    OctaveUp,
    OctaveDown,
    ReadHigher,
    ReadLower,
    OtherWay,
    KeepWay,
    DropWays,
    SplitPlayhead,
    SplitMarks,
    SplitGrid,
    JoinClips,
    MuteClips,
    ReverseClips,
    LockClips,
    LockSet,
    CopyClips,
    CutClips,
    PasteClips,
    DuplicateClips,
    DeleteClips,
    ClipsOfTrack,
    ClipsOfSet,
    ClipsInRange,
    ClipUp,
    ClipDown,
    SlipBack,
    SlipOn,
    ZoomIn,
    ZoomOut,
    ZoomSelection,
    ZoomAll,
    Follow,
    LanesHigher,
    LanesLower,
    NightSheet,
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
    Shortcuts,
    Tour,
    About,
};

struct CommandSpec {
    Command command;
    QString id;    // stable, for the user's own shortcuts
    QString menu;  // "Song", "Edit", ...
    QString text;
    QString keys;              // as delivered
    bool beginsGroup = false;  // of its menu
};

[[nodiscard]] const std::vector<CommandSpec>& commandTable();
// With the user's own, if set.
[[nodiscard]] QKeySequence keysOf(const CommandSpec& spec);
void setKeys(const CommandSpec& spec, const QKeySequence& keys);

// docs/shortcuts.md.
[[nodiscard]] QString shortcutsDocument();

}  // namespace orthochron::app
