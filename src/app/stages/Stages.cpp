#include "app/stages/Stages.h"

#include <QCoreApplication>

#include "app/stages/fit/FitStage.h"
#include "app/stages/grid/GridStage.h"
#include "app/stages/joins/JoinsStage.h"
#include "app/stages/marks/MarksStage.h"
#include "app/stages/print/PrintStage.h"
#include "app/stages/shape/ShapeStage.h"
#include "app/stages/takes/TakesStage.h"
#include "app/stages/tune/TuneStage.h"

#include <algorithm>

namespace orthochron::app {

namespace {

constexpr int kUsualBench = 236;

QString said(const char* words)
{
    return QCoreApplication::translate("Stages", words);
}

template<class T>
StagePlace there(const char* name, int benchHeight = kUsualBench)
{
    return {said(name), benchHeight, [](Session& session, LanesView& lanes, QObject* parent) {
                return new T(session, lanes, parent);
            }};
}

// Keeps the place and the digit of a stage that is not there yet.
StagePlace later(const char* name)
{
    return {said(name), kUsualBench, {}};
}

}  // namespace

const std::vector<StagePlace>& stageTable()
{
    static const std::vector<StagePlace> kTable{
        there<TakesStage>("Takes"),
        there<GridStage>("Grid", 300),
        there<MarksStage>("Marks", 304),
        there<FitStage>("Fit", 292),
        there<JoinsStage>("Joins", 380),
        there<TuneStage>("Tune", 264),
        there<ShapeStage>("Shape", 300),
        later("Sounds"),
        there<PrintStage>("Print")};
    return kTable;
}

std::optional<int> stageNamed(const QString& name)
{
    const auto& table = stageTable();
    const auto found = std::ranges::find_if(table, [&](const StagePlace& place) {
        return place.make && place.name.compare(name, Qt::CaseInsensitive) == 0;
    });
    if (found == table.end()) {
        return std::nullopt;
    }
    return static_cast<int>(found - table.begin());
}

}  // namespace orthochron::app
