#include "app/stages/hand/HandBench.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPainter>

#include "app/controls/Materials.h"
#include "app/stages/Bench.h"
#include "app/stages/hand/PitchKeys.h"
#include "app/theme/Theme.h"
#include "core/edits/StepEdits.h"

namespace orthochron::app {

namespace {

constexpr int kColumns = 4;
constexpr QSize kPicture(22, 14);

// A fade in of some shape.
QIcon pictureOf(const Fade& fade)
{
    QPixmap pixmap(2 * kPicture);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(Theme::palette().ink, 3.0));
    QPolygonF curve;
    for (int x = 0; x <= 20; ++x) {
        const double part = x / 20.0;
        curve << QPointF(
            3.0 + part * (pixmap.width() - 6.0),
            pixmap.height() - 3.0 - fade.gainsAt(part, 0.0).in * (pixmap.height() - 6.0)
        );
    }
    painter.drawPolyline(curve);
    painter.end();
    pixmap.setDevicePixelRatio(2.0);
    return QIcon(pixmap);
}

}  // namespace

HandBench::HandBench(Session& session, ClipHands& hands, QWidget* parent)
    : QWidget(parent), session_(session), hands_(hands)
{
    auto* layout = new QGridLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setHorizontalSpacing(8);
    layout->setVerticalSpacing(3);
    scope_ = benchNote(QString(), this);
    scope_->setObjectName(QStringLiteral("handScope"));
    layout->addWidget(scope_, 0, 0, 1, 2);
    auto* snap = new QComboBox(this);
    snap->setObjectName(QStringLiteral("snap"));
    snap->setAccessibleName(tr("Snap"));
    snap->addItems({tr("snap: grid"), tr("snap: marks"), tr("snap: clip edges"), tr("snap: off")});
    layout->addWidget(snap, 0, 2);
    auto* ripple = new QCheckBox(tr("ripple"), this);
    ripple->setObjectName(QStringLiteral("ripple"));
    ripple->setToolTip(tr("Moves everything later along."));
    layout->addWidget(ripple, 0, 3);
    addClipRow(*layout);
    addValueRow(*layout);
    addStepRow(*layout);
    addStretchRow(*layout);
    layout->addWidget(new PitchKeys(session_, hands_, this), 10, 0, 1, kColumns);
    layout->setRowStretch(11, 1);
    for (int column = 0; column < kColumns; ++column) {
        layout->setColumnStretch(column, 1);
    }
    connect(snap, &QComboBox::activated, this, [this](int index) {
        hands_.snap = static_cast<ClipHands::Snap>(index);
    });
    connect(ripple, &QCheckBox::toggled, this, [this](bool isOn) {
        hands_.settings.ripple = isOn;
    });
    connect(&session_.choice, &Choice::changed, this, &HandBench::fill);
    connect(&hands_, &ClipHands::changed, this, &HandBench::fill);
    fill();
}

void HandBench::addClipRow(QGridLayout& layout)
{
    struct Action {
        QString text;
        const char* name;
        void (ClipHands::*act)();
    };
    const std::array<Action, 8> actions{{
        {tr("Split"), "handSplit", &ClipHands::splitAtPlayhead},
        {tr("At marks"), "handSplitMarks", &ClipHands::splitAtMarks},
        {tr("At grid"), "handSplitGrid", &ClipHands::splitAtGrid},
        {tr("Join"), "handJoin", &ClipHands::join},
        {tr("Mute"), "handMute", &ClipHands::mute},
        {tr("Reverse"), "handReverse", &ClipHands::reverse},
        {tr("Lock"), "handLock", &ClipHands::lock},
        {tr("Delete"), "handDelete", &ClipHands::remove},
    }};
    for (std::size_t i = 0; i < actions.size(); ++i) {
        const Action& action = actions[i];
        auto* button = benchButton(action.text, QLatin1String(action.name), false, this);
        button->setStyleSheet(QStringLiteral("padding-left:6px;padding-right:6px"));
        const int place = static_cast<int>(i);
        layout.addWidget(button, 1 + place / kColumns, place % kColumns);
        connect(button, &QPushButton::clicked, &hands_, action.act);
    }
}

void HandBench::addValueRow(QGridLayout& layout)
{
    const double rate = session_.song().rate.count();
    const auto field =
        [&](const QString& label, const char* name, NumberStyle style, int row, int column) {
            style.sampleRate = rate;
            auto* made = new NumberField(label, style, false, this);
            made->setObjectName(QLatin1String(name));
            layout.addWidget(made, row, column, 1, 2);
            return made;
        };
    const QString ms = QStringLiteral("ms");
    crossfade_ = field(tr("Crossfade"), "handCrossfade", {ms, 1, 0.0, 500.0, 5.0, 0.1}, 3, 0);
    gain_ = field(tr("Gain"), "handGain", {QStringLiteral("dB"), 1, -60.0, 24.0, 0.0, 0.1}, 3, 2);
    fadeIn_ = field(tr("Fade in"), "handFadeIn", {ms, 1, 0.0, 60000.0, 0.0, 0.5}, 4, 0);
    fadeOut_ = field(tr("Fade out"), "handFadeOut", {ms, 1, 0.0, 60000.0, 0.0, 0.5}, 4, 2);
    repeat_ =
        field(tr("Copies"), "handCopies", {QStringLiteral("×"), 0, 1.0, 999.0, 1.0, 0.1}, 5, 0);
    auto* repeat = benchButton(tr("Repeat"), QStringLiteral("handRepeat"), false, this);
    layout.addWidget(repeat_, 5, 0);  // alone, so that there is room for both buttons
    layout.addWidget(repeat, 5, 1);
    addFadeShapes(layout);
    connect(repeat, &QPushButton::clicked, this, [this] {
        hands_.duplicate(static_cast<int>(repeat_->value()));
    });
    connect(crossfade_, &NumberField::changed, this, [this] {
        hands_.settings.join.crossfade = frames(*crossfade_);
    });
    connect(gain_, &NumberField::finished, this, [this](double decibels) {
        hands_.gain(decibels, false);
    });
    connect(fadeIn_, &NumberField::finished, this, [this] {
        hands_.fade({.in = frames(*fadeIn_)});
    });
    connect(fadeOut_, &NumberField::finished, this, [this] {
        hands_.fade({.out = frames(*fadeOut_)});
    });
}

// The shapes a fade can have, each with a picture of it, and how to be rid of fades.
void HandBench::addFadeShapes(QGridLayout& layout)
{
    struct Shape {
        QString name;
        FadeShape shape;
        float middle;
    };
    const std::array<Shape, 4> shapes{
        {{tr("rounded"), FadeShape::EqualPower, 0.5F},
         {tr("straight"), FadeShape::EqualGain, 0.5F},
         {tr("fast start"), FadeShape::EqualGain, 0.25F},
         {tr("slow start"), FadeShape::EqualGain, 0.75F}}};
    auto* fades = new QComboBox(this);
    fades->setObjectName(QStringLiteral("handFadeShape"));
    fades->setAccessibleName(tr("Fade shape"));
    fades->setToolTip(tr("Shape of all selected fades; curves can also be bent by dragging."));
    fades->setIconSize(kPicture);
    fades->addItem(tr("fades…"));
    for (const Shape& each : shapes) {
        fades->addItem(pictureOf({Frames(1), each.shape, each.middle}), each.name);
    }
    fades->addItem(tr("none"));
    layout.addWidget(fades, 5, 2);
    connect(fades, &QComboBox::activated, this, [this, fades, shapes](int index) {
        fades->setCurrentIndex(0);
        const auto place = static_cast<std::size_t>(index) - 1;
        if (index > 0 && place < shapes.size()) {
            hands_.fade({.shape = shapes[place].shape, .middle = shapes[place].middle});
        } else if (index > 0) {
            hands_.fade({.in = Frames(0), .out = Frames(0)});
        }
    });
}

void HandBench::addStepRow(QGridLayout& layout)
{
    const double rate = session_.song().rate.count();
    const QString ms = QStringLiteral("ms");
    const auto row = [&](int line,
                         int column,
                         const QString& label,
                         const char* name,
                         double usual,
                         const QString& action) {
        auto* field = new NumberField(label, {ms, 1, 0.0, 1000.0, usual, 0.1, rate}, false, this);
        field->setObjectName(QLatin1String(name));
        layout.addWidget(field, line, column);
        auto* button =
            benchButton(action, QLatin1String(name) + QStringLiteral("Step"), false, this);
        button->setStyleSheet(QStringLiteral("padding-left:6px;padding-right:6px"));
        layout.addWidget(button, line, column + 1);
        return std::pair{field, button};
    };
    const auto [furthest, close] = row(6, 0, tr("Gaps up to"), "stepGaps", 500.0, tr("Close gaps"));
    const auto [above, shorten] =
        row(6, 2, tr("Overlaps above"), "stepOverlaps", 20.0, tr("Shorten"));
    const auto [leadIn, cut] = row(7, 0, tr("Lead-in"), "stepCut", 4.0, tr("Cut at hits"));
    const auto [earlier, place] = row(7, 2, tr("Move joins"), "stepEarlier", 2.0, tr("Earlier"));
    furthest_ = furthest;
    above_ = above;
    leadIn_ = leadIn;
    earlier_ = earlier;
    close->setToolTip(tr("Extends each clip after a gap with audio beyond its edge."));
    shorten->setToolTip(tr("Shortens the earlier clip where an overlap is longer."));
    cut->setToolTip(tr("Splits all microphones one lead-in before each hit."));
    place->setToolTip(tr("Moves all joins earlier."));
    using Within = std::optional<Span>;
    connect(close, &QPushButton::clicked, this, [this] {
        step(
            tr("Close gaps"),
            [most = frames(*furthest_),
             join = hands_.settings.join](const Song& song, Within within, SetId set) {
                return closeGaps(song, {set, within}, most, join);
            }
        );
    });
    connect(shorten, &QPushButton::clicked, this, [this] {
        step(
            tr("Shorten overlaps"),
            [most = frames(*above_),
             join = hands_.settings.join](const Song& song, Within within, SetId set) {
                return shortenOverlaps(song, {set, within}, most, join);
            }
        );
    });
    connect(cut, &QPushButton::clicked, this, [this] {
        step(
            tr("Cut at hits"),
            [before = frames(*leadIn_),
             join = hands_.settings.join](const Song& song, Within within, SetId set) {
                return cutAtHits(song, {set, within}, before, join);
            }
        );
    });
    connect(place, &QPushButton::clicked, this, [this] {
        step(
            tr("Move joins earlier"),
            [by = frames(*earlier_)](const Song& song, Within within, SetId set) {
                return changeJoinsWithin(song, {set, within}, {.atBy = -by});
            }
        );
    });
    auto* fit = benchButton(tr("Fit clips"), QStringLiteral("fitClips"), true, this);
    fit->setToolTip(tr("Moves whole clips to the grid by their first mark, selected or all."));
    layout.addWidget(fit, 5, 3);
    connect(fit, &QPushButton::clicked, this, [this] {
        step(
            tr("Fit clips"),
            [request = session_.fitting.request,
             choice =
                 session_.choice.clips()](const Song& song, Within, SetId set) -> Result<Song> {
                auto fitted = orthochron::fitClips(song, set, choice, request);
                if (!fitted) {
                    return tl::unexpected(fitted.error());
                }
                return std::move(fitted->song);
            }
        );
    });
}

// What a clip sounds like beside its place: its pitch, its length, and what it is stretched as.
void HandBench::addStretchRow(QGridLayout& layout)
{
    const auto field =
        [&](const QString& label, const char* name, const NumberStyle& style, int row, int column) {
            auto* made = new NumberField(label, style, false, this);
            made->setObjectName(QLatin1String(name));
            layout.addWidget(made, row, column, 1, 2);
            return made;
        };
    pitch_ = field(
        tr("Pitch"), "handPitch", {tr("st"), 2, -kMostSemitones, kMostSemitones, 0.0, 0.05}, 8, 0
    );
    pitch_->setMeaning(tr("Semitones and cents; 0 resets."));
    length_ =
        field(tr("Stretch"), "handLength", {QStringLiteral("%"), 2, 5.0, 2000.0, 100.0, 0.2}, 8, 2);
    length_->setMeaning(tr("Relative to the recording; the start stays."));
    beats_ = field(tr("Length"), "handBeats", {tr("beats"), 2, 0.01, 4000.0, 4.0, 0.05}, 9, 0);
    beats_->setOtherUnit({tr("bpm"), 2, 20.0, 400.0, 120.0, 0.05});
    beats_->setMeaning(tr("Length in beats; or type its original bpm to match the song."));
    material_ = new QComboBox(this);
    material_->setObjectName(QStringLiteral("handMaterial"));
    material_->setAccessibleName(tr("Material"));
    for (const Material material :
         {Material::Hits, Material::Line, Material::Blend, Material::Tape}) {
        material_->addItem(tr("as %1").arg(materialText(material)));
    }
    layout.addWidget(material_, 9, 2);
    auto* formants = new QCheckBox(tr("Shift formants"), this);
    formants->setObjectName(QStringLiteral("handFormants"));
    formants->setToolTip(tr("Formants follow the pitch, as on tape; otherwise they are kept."));
    layout.addWidget(formants, 9, 3);
    connect(pitch_, &NumberField::finished, this, [this](double semitones) {
        hands_.stretch({.semitones = semitones});
    });
    connect(length_, &NumberField::finished, this, [this](double percent) {
        const auto clips = clipsOf(session_.song(), hands_.scope());
        if (!clips.empty()) {
            hands_.stretch({.ratio = percent / 100.0 / stretchedBy(clips.front().clip)});
        }
    });
    connect(beats_, &NumberField::finished, this, [this](double value) {
        isInBeats() ? hands_.lastBeats(value) : hands_.playedAt(value);
    });
    connect(beats_, &NumberField::unitSwitched, this, &HandBench::fill);
    connect(material_, &QComboBox::activated, this, [this](int material) {
        hands_.stretch({.material = static_cast<Material>(material)});
    });
    connect(formants, &QCheckBox::clicked, this, [this](bool isOn) {
        hands_.stretch({.movesFormants = isOn});
    });
}

void HandBench::fillStretch(const std::optional<Clip>& first)
{
    if (!first) {
        return;
    }
    const Song& song = session_.song();
    const Treatment treatment = treatmentOf(*first);
    pitch_->setValue(treatment.semitones);
    length_->setValue(100.0 * stretchedBy(*first));
    const auto beatsAt = [&](Frames at) { return song.tempo.beatsAt(toSeconds(at, song.rate)); };
    beats_->setLabel(isInBeats() ? tr("Length") : tr("Original tempo"));
    beats_->setValue(
        isInBeats() ? (beatsAt(first->end()) - beatsAt(first->at)).count()
                    : song.tempo.bpmAt(beatsAt(first->at)) * stretchedBy(*first)
    );
    material_->setCurrentIndex(static_cast<int>(treatment.material));
    findChild<QCheckBox*>(QStringLiteral("handFormants"))->setChecked(treatment.movesFormants);
}

bool HandBench::isInBeats() const
{
    return beats_->unit() == tr("beats");
}

Frames HandBench::frames(const NumberField& field) const
{
    return toFrames(milliseconds(field.value()), session_.song().rate);
}

void HandBench::step(
    const QString& name,
    const std::function<Result<Song>(const Song&, std::optional<Span>, SetId)>& edit
)
{
    const MicSet* set = session_.choice.set();
    if (set == nullptr) {
        session_.say(tr("Nothing to cut; import takes first"));
        return;
    }
    std::optional<Span> within;
    if (const auto& range = session_.choice.range()) {
        within = Span{range->from, range->to};
    }
    if (session_.document.apply(edit(session_.song(), within, set->id), name)) {
        session_.say(tr("%1: done").arg(name));
    }
}

void HandBench::fill()
{
    scope_->setText(hands_.scopeText());
    // Values of what is chosen; a dash where they differ.
    std::optional<Clip> first;
    bool gainsDiffer = false;
    bool insDiffer = false;
    bool outsDiffer = false;
    for (const PlacedClip& placed : clipsOf(session_.song(), session_.choice.clips())) {
        if (!first) {
            first = placed.clip;
        }
        gainsDiffer = gainsDiffer || placed.clip.gain != first->gain;
        insDiffer = insDiffer || placed.clip.in.length != first->in.length;
        outsDiffer = outsDiffer || placed.clip.out.length != first->out.length;
    }
    const Hertz rate = session_.song().rate;
    if (first) {
        gain_->setValue(toDecibels(static_cast<double>(first->gain)));
        fadeIn_->setValue(inMilliseconds(toSeconds(first->in.length, rate)));
        fadeOut_->setValue(inMilliseconds(toSeconds(first->out.length, rate)));
    }
    fillStretch(first);
    gain_->setMixed(gainsDiffer);
    fadeIn_->setMixed(insDiffer);
    fadeOut_->setMixed(outsDiffer);
}

}  // namespace orthochron::app
