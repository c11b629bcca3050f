#pragma once

#include "app/stages/Stage.h"
#include "core/render/Print.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace orthochron::app {

// Writes the result to new files, and says beforehand what will be written where.
class PrintStage final : public Stage {
    Q_OBJECT

public:
    PrintStage(Session& session, LanesView& lanes, QObject* parent);

    [[nodiscard]] QString name() const override { return tr("Print"); }
    [[nodiscard]] QString mainActionName() const override { return tr("Print"); }
    [[nodiscard]] QWidget* bench() override { return bench_; }
    [[nodiscard]] QString status() const override;
    void entered() override { fill(); }
    void mainAction() override { print(); }
    void setFolder(const QString& folder);

private:
    struct Plan {
        PrintSettings settings;
        QString folder;
        bool isMix = true;
        std::vector<TrackPrint> tracks;
        std::filesystem::path mix;
    };
    [[nodiscard]] Plan plan() const;
    void fill();
    void print();

    QWidget* bench_ = nullptr;
    QComboBox* what_ = nullptr;
    QComboBox* range_ = nullptr;
    QComboBox* format_ = nullptr;
    QCheckBox* dither_ = nullptr;
    QLineEdit* folder_ = nullptr;
    QLabel* says_ = nullptr;
    QPushButton* print_ = nullptr;
};

}  // namespace orthochron::app
