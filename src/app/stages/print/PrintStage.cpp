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

namespace orthochron::app {

namespace {

constexpr std::array kFormats{
    PrintFormat::Wav24, PrintFormat::Wav16, PrintFormat::Wav32Float, PrintFormat::Flac};

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
        tr("Content"), "printWhat", {tr("song as one stereo file"), tr("one file per track")}
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
    auto* right = new QVBoxLayout;
    right->addWidget(benchTitle(tr("Files to write"), bench_));
    says_ = benchNote(QString(), bench_);
    says_->setObjectName(QStringLiteral("printSays"));
    says_->setFont(Theme::text(9.5));
    says_->setForegroundRole(QPalette::WindowText);
    right->addWidget(says_, 1);
    print_ = benchButton(tr("Print"), QStringLiteral("print"), true, bench_);
    right->addWidget(print_);
    layout->addLayout(right, 3);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = askForFolder(bench_, tr("Print folder"), folder_->text());
        if (!folder.isEmpty()) {
            setFolder(folder);
        }
    });
    connect(folder_, &QLineEdit::textChanged, this, &PrintStage::fill);
    connect(print_, &QPushButton::clicked, this, &PrintStage::print);
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
    plan.isMix = what_->currentIndex() == 0;
    plan.settings.to = song.end();
    plan.settings.format = kFormats[static_cast<std::size_t>(format_->currentIndex())];
    plan.settings.dither = dither_->isChecked();
    if (const auto& range = session_.choice.range(); range && range_->currentIndex() == 1) {
        plan.settings.from = std::max(Frames(0), range->from);
        plan.settings.to = std::min(song.end(), range->to);
    }
    plan.folder = folder_->text();
    if (plan.folder.isEmpty()) {
        const auto base = session_.document.songFolder();
        plan.folder = base.empty() ? QString() : nameOf(base / "printed");
    }
    const std::filesystem::path folder = fileOf(plan.folder);
    const char* ending = plan.settings.format == PrintFormat::Flac ? ".flac" : ".wav";
    plan.mix = folder / (fileNameOf(song.name, "Song") + ending);
    const auto names = printNames(song, plan.settings.format);
    for (std::size_t t = 0; t < names.size(); ++t) {
        plan.tracks.push_back({song.tracks[t]->id, folder / names[t], 0});
    }
    return plan;
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
    dither_->setEnabled(wanted.settings.format == PrintFormat::Wav16);
    range_->setEnabled(session_.choice.range().has_value());
    print_->setEnabled(!song.tracks.empty() && seconds > 0.0 && !wanted.folder.isEmpty());
    if (song.tracks.empty()) {
        says_->setText(tr("Nothing to print yet."));
        return;
    }
    if (wanted.folder.isEmpty()) {
        says_->setText(tr("Select a folder, or save the song to print beside it."));
        return;
    }
    const int bits = wanted.settings.format == PrintFormat::Wav16        ? 2
                     : wanted.settings.format == PrintFormat::Wav32Float ? 4
                                                                         : 3;
    const int channels = wanted.isMix ? 2 : static_cast<int>(song.tracks.size());
    const double megabytes = seconds * song.rate.count() * bits * channels / 1e6;
    QStringList lines;
    lines
        << (wanted.isMix
                ? tr("1 file: %1").arg(QString::fromStdString(wanted.mix.filename().string()))
                : tr("%1 files, one per track, without track level and pan")
                      .arg(wanted.tracks.size()));
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
    lines << tr("In the files, cuts, joins and fades become permanent. In the song everything "
                "stays editable.");
    int over = 0;
    std::error_code error;
    if (wanted.isMix) {
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
    std::error_code error;
    std::filesystem::create_directories(fileOf(wanted.folder), error);
    session_.jobs.run(
        {.key = {}, .title = tr("Printing")},
        this,
        [song = session_.document.song(),
         sources = session_.document.sources(),
         wanted](const Work& work) -> Result<std::vector<PrintedFile>> {
            if (!wanted.isMix) {
                return printTracks(*song, *sources, wanted.tracks, wanted.settings, work);
            }
            auto file = printMix(*song, *sources, wanted.mix, wanted.settings, work);
            if (!file) {
                return tl::unexpected(file.error());
            }
            return std::vector<PrintedFile>{*file};
        },
        [this](const Result<std::vector<PrintedFile>>& done) {
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
            for (const PrintedFile& file : *done) {
                peak = std::max(peak, file.peak);
                clipped += file.clipped;
            }
            QString sentence = tr("Printed %1, peak %2 dB")
                                   .arg(counted(std::ssize(*done), tr("file"), tr("files")))
                                   .arg(toDecibels(peak), 0, 'f', 1);
            if (clipped > 0) {
                sentence +=
                    tr(", %1 samples clipped: lower the tracks or print 32 bit float").arg(clipped);
            }
            session_.say(sentence);
            fill();
        }
    );
}

}  // namespace orthochron::app
