#include "app/stages/print/PrintStage.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMessageBox>

#include "app/controls/Counted.h"
#include "app/document/FileNames.h"
#include "app/stages/Bench.h"
#include "app/theme/Theme.h"
#include "core/base/FileName.h"
#include "core/edits/TakeEdits.h"

namespace orthochron::app {

namespace {

constexpr std::array kFormats{
    PrintFormat::Wav24, PrintFormat::Wav16, PrintFormat::Wav32Float, PrintFormat::Flac};

// What a print made: the files and, where they come into the song, their takes.
struct Done {
    std::vector<PrintedFile> files;
    std::vector<Take> takes;
};

}  // namespace

PrintStage::PrintStage(Session& session, LanesView& lanes, QObject* parent)
    : Stage(session, lanes, parent)
{
    bench_ = new QWidget;
    auto* layout = new QHBoxLayout(bench_);
    layout->setContentsMargins(20, 14, 20, 14);
    layout->setSpacing(32);
    auto* rows = new QWidget(bench_);
    auto* form = new QFormLayout(rows);
    form->setContentsMargins(0, 0, 0, 0);
    form->setVerticalSpacing(10);
    form->setLabelAlignment(Qt::AlignLeft);
    const auto choice = [&](const QString& label, const char* name, const QStringList& items) {
        auto* box = new QComboBox(bench_);
        box->setObjectName(QLatin1String(name));
        box->setAccessibleName(label);
        box->addItems(items);
        form->addRow(label, box);
        connect(box, &QComboBox::activated, this, &PrintStage::fill);
        return box;
    };
    what_ = choice(
        tr("Content"),
        "printWhat",
        {tr("song as one stereo file"),
         tr("one stem per track"),
         tr("selected set, clips"),
         tr("selected set, full track")}
    );
    lands_ = choice(
        tr("Destination"), "printLands", {tr("files only"), tr("in place"), tr("new tracks below")}
    );
    range_ = choice(tr("Range"), "printRange", {tr("whole song"), tr("selected range")});
    format_ = choice(
        tr("Format"),
        "printFormat",
        {tr("WAV, 24 bit"), tr("WAV, 16 bit"), tr("WAV, 32 bit float"), tr("FLAC, 24 bit")}
    );
    dither_ = new QCheckBox(tr("Dither (16 bit)"), bench_);
    dither_->setObjectName(QStringLiteral("dither"));
    form->addRow(QString(), dither_);
    connect(dither_, &QCheckBox::clicked, this, &PrintStage::fill);
    auto* place = new QHBoxLayout;
    place->setSpacing(8);
    folder_ = new QLineEdit(bench_);
    folder_->setObjectName(QStringLiteral("printFolder"));
    folder_->setAccessibleName(tr("Folder"));
    auto* browse = benchButton(tr("Browse…"), QStringLiteral("chooseFolder"), false, bench_);
    place->addWidget(folder_, 1);
    place->addWidget(browse);
    form->addRow(tr("Folder"), place);
    // At the top, or the rows would spread over the bench.
    layout->addWidget(rows, 3, Qt::AlignTop);
    auto* middle = new QVBoxLayout;
    middle->addWidget(benchTitle(tr("What becomes fixed"), bench_));
    table_ = new PrintTable(bench_);
    middle->addWidget(table_, 1);
    layout->addLayout(middle, 4);
    auto* right = new QVBoxLayout;
    right->addWidget(benchTitle(tr("Files to write"), bench_));
    says_ = benchNote(QString(), bench_);
    says_->setObjectName(QStringLiteral("printSays"));
    says_->setFont(Theme::text(9.5));
    says_->setForegroundRole(QPalette::WindowText);
    right->addWidget(says_, 1);
    print_ = benchButton(tr("Print"), QStringLiteral("print"), true, bench_);
    right->addWidget(print_);
    auto* back = new QHBoxLayout;
    switch_ = benchButton(tr("Printed or live"), QStringLiteral("switchPrint"), false, bench_);
    switch_->setToolTip(tr("Switches the selected set between its print and its source."));
    open_ = benchButton(tr("Open again"), QStringLiteral("openPrint"), false, bench_);
    open_->setToolTip(tr("Restores the clips that were printed in place; the file stays."));
    back->addWidget(switch_);
    back->addWidget(open_);
    right->addLayout(back);
    layout->addLayout(right, 3);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = askForFolder(bench_, tr("Print folder"), folder_->text());
        if (!folder.isEmpty()) {
            setFolder(folder);
        }
    });
    connect(folder_, &QLineEdit::textChanged, this, &PrintStage::fill);
    connect(print_, &QPushButton::clicked, this, &PrintStage::print);
    connect(switch_, &QPushButton::clicked, this, &PrintStage::switchSide);
    connect(open_, &QPushButton::clicked, this, &PrintStage::openAgain);
    connect(&session_.document, &Document::songChanged, this, &PrintStage::fill);
    connect(&session_.choice, &Choice::changed, this, &PrintStage::fill);
    fill();
}

void PrintStage::setFolder(const QString& folder)
{
    folder_->setText(folder);
}

PrintStage::Plan PrintStage::plan() const
{
    const Song& song = session_.song();
    Plan plan;
    constexpr std::array kExtents{
        PrintExtent::Song, PrintExtent::Stem, PrintExtent::Clips, PrintExtent::Track};
    plan.extent = kExtents[static_cast<std::size_t>(what_->currentIndex())];
    const MicSet* set = session_.choice.set();
    const bool isOfSet = plan.extent == PrintExtent::Clips || plan.extent == PrintExtent::Track;
    if (isOfSet && set != nullptr) {
        plan.set = set->id;
        plan.lands = static_cast<Lands>(lands_->currentIndex());
    }
    const bool isInSong = plan.lands != Lands::Files;
    plan.settings.to = isInSong ? song.length() : song.end();
    plan.settings.format = kFormats[static_cast<std::size_t>(format_->currentIndex())];
    plan.settings.dither = dither_->isChecked();
    if (const auto& range = session_.choice.range();
        range && range_->currentIndex() == 1 && !isInSong) {
        plan.settings.from = std::max(Frames(0), range->from);
        plan.settings.to = std::min(song.end(), range->to);
    }
    // What comes into the song lies beside it.
    plan.folder = isInSong ? QString() : folder_->text();
    if (plan.folder.isEmpty()) {
        const auto base = session_.document.songFolder();
        plan.folder = base.empty() ? QString() : nameOf(base / "printed");
    }
    const std::filesystem::path folder = fileOf(plan.folder);
    const char* ending = plan.settings.format == PrintFormat::Flac ? ".flac" : ".wav";
    plan.mix = folder / (fileNameOf(song.name, "Song") + ending);
    if (isOfSet) {
        if (set != nullptr) {
            const auto depth =
                plan.extent == PrintExtent::Track ? PrintDepth::Track : PrintDepth::Clips;
            plan.tracks = printFiles(song, set->id, depth, folder, plan.settings.format);
        }
        return plan;
    }
    const auto names = printNames(song, plan.settings.format);
    for (std::size_t t = 0; t < names.size(); ++t) {
        plan.tracks.push_back({song.tracks[t]->id, folder / names[t], 0});
    }
    return plan;
}

std::vector<TrackId> PrintStage::tracksOf(PrintExtent extent) const
{
    const MicSet* set = session_.choice.set();
    if (extent == PrintExtent::Clips || extent == PrintExtent::Track) {
        return set != nullptr ? set->tracks : std::vector<TrackId>();
    }
    std::vector<TrackId> tracks;
    for (const auto& track : session_.song().tracks) {
        tracks.push_back(track->id);
    }
    return tracks;
}

QString PrintStage::status() const
{
    return tr("Levels are not changed. Takes and the song stay as they are.");
}

void PrintStage::fill()
{
    const Song& song = session_.song();
    const Plan wanted = plan();
    const double seconds = toSeconds(wanted.settings.to - wanted.settings.from, song.rate).count();
    const bool isInSong = wanted.lands != Lands::Files;
    dither_->setEnabled(wanted.settings.format == PrintFormat::Wav16);
    range_->setEnabled(session_.choice.range().has_value() && !isInSong);
    lands_->setEnabled(what_->currentIndex() >= 2);
    folder_->setEnabled(!isInSong);
    table_->show(song, tracksOf(wanted.extent), wanted.extent);
    fillButtons();
    print_->setEnabled(!song.tracks.empty() && seconds > 0.0 && !wanted.folder.isEmpty());
    if (song.tracks.empty()) {
        says_->setText(tr("Nothing to print yet."));
        return;
    }
    if (wanted.folder.isEmpty()) {
        says_->setText(
            isInSong ? tr("Save the song first; prints go beside it.")
                     : tr("Select a folder, or save the song to print beside it.")
        );
        return;
    }
    const int bits = wanted.settings.format == PrintFormat::Wav16        ? 2
                     : wanted.settings.format == PrintFormat::Wav32Float ? 4
                                                                         : 3;
    const bool isMix = wanted.extent == PrintExtent::Song;
    const int channels = isMix ? 2 : static_cast<int>(wanted.tracks.size());
    const double megabytes = seconds * song.rate.count() * bits * channels / 1e6;
    QStringList lines;
    lines
        << (isMix ? tr("1 file: %1").arg(QString::fromStdString(wanted.mix.filename().string()))
            : wanted.extent == PrintExtent::Stem
                ? tr("%1 files, one per track, without track level and pan")
                      .arg(wanted.tracks.size())
                : tr("%1 of %2")
                      .arg(counted(std::ssize(wanted.tracks), tr("file"), tr("files")), setName()));
    if (isInSong) {
        lines << leftOut(wanted);
    }
    const QString beside = nameOf(session_.document.songFolder());
    lines
        << (folder_->text().isEmpty() && wanted.folder.startsWith(beside + QLatin1Char('/'))
                ? tr("Into folder %1 beside the song").arg(wanted.folder.mid(beside.size() + 1))
                : tr("Into %1").arg(wanted.folder));
    lines << tr("%1 s at %2 kHz, %3%4, about %5 MB")
                 .arg(seconds, 0, 'f', 1)
                 .arg(song.rate.count() / 1000.0)
                 .arg(
                     format_->currentText(),
                     dither_->isChecked() && dither_->isEnabled() ? tr(" with dither") : QString()
                 )
                 .arg(megabytes, 0, 'f', 0);
    lines
        << (wanted.lands == Lands::InPlace
                ? tr("The print replaces the clips. Undo or Open again restores them.")
            : wanted.lands == Lands::Below
                ? tr("The print goes on new tracks below; the original is muted.")
                : tr("In the song everything stays editable."));
    int over = 0;
    std::error_code error;
    if (isMix) {
        over = std::filesystem::exists(wanted.mix, error) ? 1 : 0;
    } else {
        for (const TrackPrint& track : wanted.tracks) {
            over += std::filesystem::exists(track.path, error) ? 1 : 0;
        }
    }
    if (over > 0) {
        lines << tr("%n existing file(s) will be replaced.", nullptr, over);
    }
    says_->setText(lines.join(QStringLiteral("\n")));
}

void PrintStage::print()
{
    const Plan wanted = plan();
    if (wanted.folder.isEmpty() || session_.song().tracks.empty()) {
        return;
    }
    const bool isMix = wanted.extent == PrintExtent::Song;
    if (!isMix && wanted.tracks.empty()) {
        session_.say(tr("Select a track first"));
        return;
    }
    std::error_code error;
    std::filesystem::create_directories(fileOf(wanted.folder), error);
    session_.jobs.run(
        {.key = {}, .title = tr("Printing")},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         folder = session_.document.songFolder(),
         isMix,
         wanted](const Work& work) -> Result<Done> {
            Done done;
            if (isMix) {
                auto file = printMix(*song, *sources, wanted.mix, wanted.settings, work);
                if (!file) {
                    return tl::unexpected(file.error());
                }
                done.files = {*file};
                return done;
            }
            auto files = printTracks(*song, *sources, wanted.tracks, wanted.settings, work);
            if (!files) {
                return tl::unexpected(files.error());
            }
            done.files = std::move(*files);
            if (wanted.lands == Lands::Files) {
                return done;
            }
            for (const TrackPrint& track : wanted.tracks) {
                auto take = takeFromFile(track.path, song->rate, folder);
                if (!take) {
                    return tl::unexpected(take.error());
                }
                done.takes.push_back(std::move(*take));
            }
            return done;
        },
        [this, wanted, asked = session_.document.song()](const Result<Done>& done) {
            if (!done) {
                if (done.error().kind == ErrorKind::Cancelled) {
                    session_.say(tr("Stopped; no files written"));
                } else {
                    Q_EMIT session_.failed(done.error());
                }
                return;
            }
            double peak = 0.0;
            std::int64_t clipped = 0;
            for (const PrintedFile& file : done->files) {
                peak = std::max(peak, file.peak);
                clipped += file.clipped;
            }
            QString sentence = tr("Printed %1, peak %2 dB")
                                   .arg(counted(std::ssize(done->files), tr("file"), tr("files")))
                                   .arg(toDecibels(peak), 0, 'f', 1);
            if (clipped > 0) {
                sentence +=
                    tr(", %1 samples clipped: lower the tracks or print 32 bit float").arg(clipped);
            }
            session_.say(sentence);
            if (wanted.lands != Lands::Files) {
                landed(
                    wanted,
                    asked,
                    {wanted.set,
                     wanted.extent == PrintExtent::Track ? PrintDepth::Track : PrintDepth::Clips,
                     wanted.settings.from,
                     done->takes}
                );
            }
            fill();
        }
    );
}

// What was printed may have been edited since: the files stay, the song is left as it is.
void PrintStage::landed(
    const Plan& plan, const std::shared_ptr<const Song>& asked, FinishedPrint print
)
{
    const Song& song = session_.song();
    const MicSet* then = asked->set(plan.set);
    const MicSet* now = song.set(plan.set);
    const bool isSame = now != nullptr && now->tracks == then->tracks &&
                        std::ranges::all_of(now->tracks, [&](TrackId id) {
                            return song.track(id) == asked->track(id);
                        });
    if (!isSame) {
        session_.say(tr("The set changed meanwhile; the files are kept, print again"));
        return;
    }
    session_.document.apply(
        plan.lands == Lands::Below ? printBelow(song, print) : printInPlace(song, print),
        tr("Print %1").arg(setName())
    );
}

QString PrintStage::setName() const
{
    const MicSet* set = session_.choice.set();
    return set != nullptr ? QString::fromStdString(session_.song().nameOf(*set)) : QString();
}

// What sounds nowhere in the song now and still comes into the print.
QString PrintStage::leftOut(const Plan& plan) const
{
    const Song& song = session_.song();
    qsizetype muted = 0;
    qsizetype clips = 0;
    for (const TrackPrint& print : plan.tracks) {
        const auto track = song.track(print.track);
        muted += track->isMuted ? 1 : 0;
        clips += std::ranges::count_if(track->clips, &Clip::isMuted);
    }
    QStringList parts;
    if (muted > 0) {
        parts << tr("%1 included").arg(counted(muted, tr("muted track"), tr("muted tracks")));
    }
    if (clips > 0) {
        parts << tr("%1 left out").arg(counted(clips, tr("muted clip"), tr("muted clips")));
    }
    return parts.isEmpty() ? tr("Nothing is left out") : parts.join(QStringLiteral(", "));
}

void PrintStage::fillButtons()
{
    const MicSet* set = session_.choice.set();
    const PrintedSet* print = set != nullptr ? printOf(session_.song(), set->id) : nullptr;
    switch_->setEnabled(print != nullptr);
    open_->setEnabled(print != nullptr);
}

void PrintStage::switchSide()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr) {
        session_.say(tr("Select a track first"));
        return;
    }
    const SetId id = set->id;
    if (session_.document.apply(switchPrint(session_.song(), id), tr("Switch print"))) {
        const PrintedSet* print = printOf(session_.song(), id);
        session_.say(print->isLive ? tr("Playing the source") : tr("Playing the print"));
    }
}

void PrintStage::openAgain()
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr) {
        session_.say(tr("Select a track first"));
        return;
    }
    session_.document.apply(openPrint(session_.song(), set->id), tr("Open print again"));
}

bool PrintStage::run(Command command)
{
    switch (command) {
    case Command::SwitchPrint: switchSide(); return true;
    case Command::OpenPrint: openAgain(); return true;
    default: return false;
    }
}

}  // namespace orthochron::app
