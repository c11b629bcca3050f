#pragma once

#include <QWidget>

#include "app/controls/NumberField.h"
#include "app/stages/hand/ClipHands.h"

class QComboBox;
class QGridLayout;
class QLabel;

namespace orthochron::app {

// The bench of the By hand way: what is chosen, what can be done to it with exact values, and the
// steps of a fit one by one on the chosen range.
class HandBench final : public QWidget {
    Q_OBJECT

public:
    HandBench(Session& session, ClipHands& hands, QWidget* parent);

private:
    void addClipRow(QGridLayout& layout);
    void addValueRow(QGridLayout& layout);
    void addFadeShapes(QGridLayout& layout);
    void addStepRow(QGridLayout& layout);
    void addStretchRow(QGridLayout& layout);
    void fillStretch(const std::optional<Clip>& first);
    void fill();
    // One step on the mic set, or what of it lies in the chosen range, as a job.
    void step(
        const QString& name,
        const std::function<Result<Song>(const Song&, std::optional<Span>, SetId)>& edit
    );
    // What beats_ says: how many it lasts, or the tempo it was played at.
    [[nodiscard]] bool isInBeats() const;
    [[nodiscard]] Frames frames(const NumberField& field) const;

    Session& session_;
    ClipHands& hands_;
    QLabel* scope_ = nullptr;
    NumberField* crossfade_ = nullptr;
    NumberField* gain_ = nullptr;
    NumberField* fadeIn_ = nullptr;
    NumberField* fadeOut_ = nullptr;
    NumberField* repeat_ = nullptr;
    NumberField* pitch_ = nullptr;
    NumberField* length_ = nullptr;
    NumberField* beats_ = nullptr;
    QComboBox* material_ = nullptr;
    NumberField* furthest_ = nullptr;
    NumberField* above_ = nullptr;
    NumberField* leadIn_ = nullptr;
    NumberField* earlier_ = nullptr;
};

}  // namespace orthochron::app
