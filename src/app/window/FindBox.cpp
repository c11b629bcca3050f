#include "app/window/FindBox.h"

#include <QCoreApplication>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr int kMostListed = 60;

QString findText(const char* words)
{
    return QCoreApplication::translate("FindBox", words);
}

QString textOf(const FindEntry& entry)
{
    return entry.kind + QStringLiteral(": ") + entry.name;
}

void goTo(Session& session, Frames at)
{
    session.player.seek(at);
    session.shown.reveal(at);
}

QString barOf(const Song& song, Frames at)
{
    const Beats beats = song.tempo.beatsAt(toSeconds(at, song.rate) + milliseconds(1.0));
    return findText("bar %1").arg(song.tempo.barAt(beats));
}

void addClips(std::vector<FindEntry>& entries, Session& session, const Track& track)
{
    const Song& song = session.song();
    for (const Clip& clip : track.clips) {
        entries.push_back(
            {findText("Clip"),
             QStringLiteral("%1, %2").arg(QString::fromStdString(track.name), barOf(song, clip.at)),
             [&session, track = track.id, id = clip.id, at = clip.at] {
                 session.choice.setTrack(track);
                 session.choice.setClips({id});
                 goTo(session, at);
             }}
        );
    }
}

void addMarks(
    std::vector<FindEntry>& entries,
    Session& session,
    const Track& track,
    const std::function<void()>& showMarks
)
{
    const Song& song = session.song();
    for (const Mark& mark : track.marks) {
        const auto clip = std::ranges::find_if(track.clips, [&](const Clip& each) {
            return each.songTimeOf(mark.at).has_value();
        });
        if (clip == track.clips.end()) {
            continue;
        }
        const Frames at = *clip->songTimeOf(mark.at);
        entries.push_back(
            {findText("Mark"),
             QStringLiteral("%1, %2, %3 s")
                 .arg(QString::fromStdString(track.name), barOf(song, at))
                 .arg(toSeconds(at, song.rate).count(), 0, 'f', 3),
             [&session, track = track.id, id = mark.id, at, showMarks] {
                 showMarks();
                 session.choice.setMark(track, id);
                 goTo(session, at);
             }}
        );
    }
}

}  // namespace

std::vector<FindEntry> findableIn(Session& session, const std::function<void()>& showMarks)
{
    std::vector<FindEntry> entries;
    const Song& song = session.song();
    for (const auto& track : song.tracks) {
        entries.push_back(
            {findText("Track"),
             QString::fromStdString(track->name),
             [&session, id = track->id] { session.choice.setTrack(id); }}
        );
    }
    for (const Section& section : song.sections) {
        entries.push_back(
            {findText("Section"),
             QString::fromStdString(section.name),
             [&session, bars = section.bars] {
                 const Song& now = session.song();
                 const auto at = [&](int bar) {
                     return toFrames(now.tempo.timeAt(now.tempo.startOfBar(bar)), now.rate);
                 };
                 const TimeRange range{at(bars.first), at(bars.last + 1)};
                 session.choice.setRange(range);
                 session.shown.zoomTo(range);
                 goTo(session, range.from);
             }}
        );
    }
    const Beats end = song.tempo.beatsAt(toSeconds(song.length(), song.rate));
    for (int bar = 1; bar <= song.tempo.barAt(end); ++bar) {
        entries.push_back({findText("Bar"), QString::number(bar), [&session, bar] {
                               const Song& now = session.song();
                               goTo(
                                   session,
                                   toFrames(now.tempo.timeAt(now.tempo.startOfBar(bar)), now.rate)
                               );
                           }});
    }
    for (const auto& track : song.tracks) {
        addClips(entries, session, *track);
        addMarks(entries, session, *track, showMarks);
    }
    return entries;
}

FindBox::FindBox(std::vector<FindEntry> entries, QWidget* parent)
    : QDialog(parent), entries_(std::move(entries))
{
    setObjectName(QStringLiteral("findBox"));
    setWindowTitle(tr("Find"));
    resize(460, 380);
    auto* column = new QVBoxLayout(this);
    words_ = new QLineEdit(this);
    words_->setObjectName(QStringLiteral("findWords"));
    words_->setAccessibleName(tr("Find"));
    words_->setPlaceholderText(tr("Track, clip, mark, section, bar or command"));
    words_->installEventFilter(this);
    matches_ = new QListWidget(this);
    matches_->setObjectName(QStringLiteral("findMatches"));
    matches_->setAccessibleName(tr("Matches"));
    column->addWidget(words_);
    column->addWidget(matches_);
    connect(words_, &QLineEdit::textChanged, this, &FindBox::list);
    connect(words_, &QLineEdit::returnPressed, this, [this] {
        if (matches_->currentItem() != nullptr) {
            accept();
        }
    });
    connect(matches_, &QListWidget::itemActivated, this, &QDialog::accept);
    connect(matches_, &QListWidget::itemClicked, this, &QDialog::accept);
    list();
}

const FindEntry* FindBox::picked() const
{
    const QListWidgetItem* item = matches_->currentItem();
    return item == nullptr ? nullptr
                           : &entries_[static_cast<std::size_t>(item->data(Qt::UserRole).toInt())];
}

// All words have to be in it, in any order; what begins with the first comes first.
void FindBox::list()
{
    const QStringList words = words_->text().split(QLatin1Char(' '), Qt::SkipEmptyParts);
    const auto matches = [&](const QString& text) {
        return std::ranges::all_of(words, [&](const QString& word) {
            return text.contains(word, Qt::CaseInsensitive);
        });
    };
    std::vector<int> found;
    std::vector<int> others;
    for (int i = 0; i < static_cast<int>(entries_.size()); ++i) {
        const FindEntry& entry = entries_[static_cast<std::size_t>(i)];
        if (!matches(textOf(entry))) {
            continue;
        }
        const bool begins =
            !words.isEmpty() && entry.name.startsWith(words.first(), Qt::CaseInsensitive);
        (begins ? found : others).push_back(i);
    }
    found.insert(found.end(), others.begin(), others.end());
    matches_->clear();
    for (const int i : found) {
        if (matches_->count() == kMostListed) {
            break;
        }
        auto* item = new QListWidgetItem(textOf(entries_[static_cast<std::size_t>(i)]), matches_);
        item->setData(Qt::UserRole, i);
    }
    matches_->setCurrentRow(0);
}

// The arrows walk the list while the field has the keys.
bool FindBox::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == words_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            const int row = matches_->currentRow() + (key == Qt::Key_Down ? 1 : -1);
            matches_->setCurrentRow(std::clamp(row, 0, std::max(0, matches_->count() - 1)));
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

}  // namespace orthochron::app
