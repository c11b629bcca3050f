#pragma once

#include "app/stages/Stage.h"
#include "app/stages/print/PrintTable.h"
#include "core/edits/PrintEdits.h"
#include "core/render/Print.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace orthochron::app {

// Writes the result to new files, and says beforehand what will be written where and what becomes fixed. A
// mic set can come back into the song: in place, or on new tracks below.
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
    bool run(Command command) override;
    void setFolder(const QString& folder);

private:
    enum class Lands { Files, InPlace, Below };
    struct Plan {
        PrintSettings settings;
        QString folder;
        PrintExtent extent = PrintExtent::Song;
        Lands lands = Lands::Files;
        SetId set;  // of what lands in the song
        std::vector<TrackPrint> tracks;
        std::filesystem::path mix;
    };
    [[nodiscard]] Plan plan() const;
    [[nodiscard]] std::vector<TrackId> tracksOf(PrintExtent extent) const;
    void fill();
    [[nodiscard]] QString setName() const;
    [[nodiscard]] QString leftOut(const Plan& plan) const;
    void fillButtons();
    void print();
    void landed(const Plan& plan, const std::shared_ptr<const Song>& asked, FinishedPrint print);
    void switchSide();
    void openAgain();

    QWidget* bench_ = nullptr;
    QComboBox* what_ = nullptr;
    QComboBox* lands_ = nullptr;
    QComboBox* range_ = nullptr;
    QComboBox* format_ = nullptr;
    QCheckBox* dither_ = nullptr;
    QLineEdit* folder_ = nullptr;
    QLabel* says_ = nullptr;
    QPushButton* print_ = nullptr;
    QPushButton* switch_ = nullptr;
    QPushButton* open_ = nullptr;
    PrintTable* table_ = nullptr;
};

}  // namespace orthochron::app
