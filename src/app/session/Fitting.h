#pragma once

#include <QObject>

#include "app/document/Document.h"
#include "app/document/JobQueue.h"
#include "app/session/Choice.h"
#include "core/edits/FitEdits.h"
#include "core/fit/Performance.h"
#include "core/stretch/Strain.h"

namespace orthochron::app {

// The fit being looked at: what is asked for, and what it would do. What hits are judged to be is
// made anew only when the hits, the grid or the sections are others; a slider moves the rest.
class Fitting final : public QObject {
    Q_OBJECT

public:
    Fitting(Document& document, Choice& choice, JobQueue& jobs, QObject* parent);

    FitRequest request;
    void requestChanged();  // after changing `request`: the preview is made anew
    // The grid is the song's; what is asked for here is looked at first and kept, as an edit, once the hand is off.
    void lookAtGrid(GridSettings grid);
    void keepGrid();
    void setRangeOfBars(std::optional<BarRange> bars);
    [[nodiscard]] const FitPreview& preview() const { return preview_; }
    // What a fit by stretching would ask of the sound, song time; empty when cutting is asked for.
    [[nodiscard]] const std::vector<StrainSpan>& strain() const { return strain_; }

    // The lead and section the amounts, the chart and the dial are about; none for all.
    [[nodiscard]] TrackId focusLead() const { return focusLead_; }
    [[nodiscard]] SectionId focusSection() const { return focusSection_; }
    void setFocus(TrackId lead, SectionId section);
    [[nodiscard]] bool isInFocus(const JudgedHit& hit) const;
    // The amounts of the focus, which are the general ones until they are changed there.
    [[nodiscard]] OwnAmounts amounts() const;
    void setAmounts(double drift, double feel, double stray);

    // Gives hits a deviation from their line of their own (none: the fit's), as one edit.
    void askOfHits(const std::vector<std::size_t>& hits, std::optional<Seconds> wanted, Seconds by);
    void apply();

    void forget();   // another song was opened
    void refresh();  // the preview, from song and choice as they are

Q_SIGNALS:
    void changed();
    void focusChanged();
    void said(const QString& sentence);
    void failed(const orthochron::Error& error);

private:
    // What judging depends on.
    struct Key {
        std::vector<PlayedHit> hits;
        std::vector<TrackId> leads;
        GridSettings grid;
        TempoMap tempo;
        std::vector<Section> sections;
        std::vector<DriftPoint> driftLine;

        bool operator==(const Key&) const = default;
    };

    Document& document_;
    Choice& choice_;
    JobQueue& jobs_;
    void foresee();

    GridSettings songGrid_;  // as it was when `request` took it over
    FitPreview preview_;
    std::vector<StrainSpan> strain_;
    std::optional<Key> judged_;
    TrackId focusLead_;
    SectionId focusSection_;
};

}  // namespace orthochron::app
