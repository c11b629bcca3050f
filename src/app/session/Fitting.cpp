#include "app/session/Fitting.h"

#include "app/document/Errors.h"
#include "core/edits/GridEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/StretchFit.h"

namespace orthochron::app {

Fitting::Fitting(Document& document, Choice& choice, JobQueue& jobs, QObject* parent)
    : QObject(parent), document_(document), choice_(choice), jobs_(jobs)
{}

void Fitting::requestChanged()
{
    refresh();
}

void Fitting::lookAtGrid(GridSettings grid)
{
    request.grid = grid;
    refresh();
}

void Fitting::keepGrid()
{
    if (request.grid != document_.song()->grid) {
        document_.apply(setGrid(*document_.song(), request.grid), tr("Set grid"));
    }
}

void Fitting::setRangeOfBars(std::optional<BarRange> bars)
{
    request.bars = bars;
    refresh();
}

void Fitting::setFocus(TrackId lead, SectionId section)
{
    focusLead_ = lead;
    focusSection_ = section;
    Q_EMIT focusChanged();
    Q_EMIT changed();
}

bool Fitting::isInFocus(const JudgedHit& hit) const
{
    const Performance& performance = preview_.performance;
    const auto lead = static_cast<std::size_t>(hit.played.lead);
    const bool isLead = !focusLead_.isValid() ||
                        (lead < performance.leads.size() && performance.leads[lead] == focusLead_);
    const auto section = static_cast<std::size_t>(hit.section);
    const bool isSection =
        !focusSection_.isValid() ||
        (hit.section != JudgedHit::kNoSection && section < performance.sections.size() &&
         performance.sections[section] == focusSection_);
    return isLead && isSection;
}

OwnAmounts Fitting::amounts() const
{
    for (const OwnAmounts& own : request.fit.own) {
        if (own.lead == focusLead_ && own.section == focusSection_) {
            return own;
        }
    }
    return {focusSection_, focusLead_, request.fit.drift, request.fit.feel, request.fit.stray};
}

void Fitting::setAmounts(double drift, double feel, double stray)
{
    FitSettings& fit = request.fit;
    if (!focusLead_.isValid() && !focusSection_.isValid()) {
        fit.drift = drift;
        fit.feel = feel;
        fit.stray = stray;
        return;
    }
    const OwnAmounts wanted{focusSection_, focusLead_, drift, feel, stray};
    if (wanted == amounts()) {
        return;
    }
    std::erase_if(fit.own, [this](const OwnAmounts& own) {
        return own.lead == focusLead_ && own.section == focusSection_;
    });
    fit.own.push_back(wanted);
}

void Fitting::askOfHits(
    const std::vector<std::size_t>& hits, std::optional<Seconds> wanted, Seconds by
)
{
    std::vector<WantedPlace> places;
    for (const std::size_t i : hits) {
        const HitOrigin& origin = preview_.origin.origins[i];
        const auto asked =
            by.count() != 0.0 ? std::optional(preview_.moves.hits[i].left + by) : wanted;
        places.push_back({origin.track, origin.mark, asked});
    }
    document_.apply(
        setMarksWanted(*document_.song(), places),
        hits.size() == 1 ? tr("Move hit") : tr("Move hits")
    );
}

void Fitting::refresh()
{
    if (document_.song()->grid != songGrid_) {
        songGrid_ = document_.song()->grid;
        request.grid = songGrid_;
    }
    const MicSet* chosen = choice_.set();
    if (chosen == nullptr) {
        preview_ = {};
        strain_.clear();
        judged_.reset();
        Q_EMIT changed();
        return;
    }
    const Song& song = *document_.song();
    SetHits hits = hitsOf(song, *chosen);
    Key key{hits.hits, hits.leads, request.grid, song.tempo, song.sections, request.fit.driftLine};
    if (key != judged_) {
        preview_.performance = judgeSet(song, hits, request);
        judged_ = std::move(key);
    }
    preview_.origin = std::move(hits);
    preview_.moves = planMoves(preview_.performance, request.fit);
    foresee();
    Q_EMIT changed();
}

void Fitting::foresee()
{
    strain_.clear();
    const MicSet* set = choice_.set();
    if (set == nullptr || request.way.method != FitMethod::Stretch ||
        preview_.performance.hits.empty()) {
        return;
    }
    const Song& song = *document_.song();
    const FitAnchors planned = anchorsOf(song, *set, preview_, request);
    if (const auto map = stretchMap(recordedClips(song, *set), planned.anchors, song.rate)) {
        strain_ = strainOf(*map, song.rate);
    }
}

void Fitting::apply()
{
    const MicSet* chosen = choice_.set();
    if (chosen == nullptr) {
        Q_EMIT failed(refusal(tr("Nothing to fit; import takes first")));
        return;
    }
    const bool isCut = request.way.method == FitMethod::Cut;
    Q_EMIT said(isCut ? tr("Cutting…") : tr("Stretching…"));
    jobs_.run(
        {.key = QStringLiteral("fit"),
         .title = isCut ? tr("Cut and join") : tr("Stretch"),
         .holds = document_.whileOpen()},
        this,
        [song = document_.song(), sources = document_.sources(), id = chosen->id, wanted = request](
            const Work& work
        ) {
            return std::pair{song, fitSet(*song, id, wanted, *sources, work)};
        },
        [this](const std::pair<std::shared_ptr<const Song>, Result<FitOutcome>>& done) {
            const auto& [from, outcome] = done;
            if (!outcome) {
                if (outcome.error().kind == ErrorKind::Cancelled) {
                    Q_EMIT said(tr("Stopped; nothing changed"));
                } else {
                    Q_EMIT failed(outcome.error());
                }
                return;
            }
            if (from != document_.song()) {
                Q_EMIT said(tr("The song changed meanwhile; fit again"));
                return;
            }
            const QString sentence = QString::fromStdString(sentenceOf(*outcome));
            document_.apply(outcome->song, sentence);
            Q_EMIT said(sentence);
        }
    );
}

void Fitting::forget()
{
    request = FitRequest();
    songGrid_ = request.grid;
    focusLead_ = TrackId();
    focusSection_ = SectionId();
}

}  // namespace orthochron::app
