#include "app/window/Picture.h"

#include <QCoreApplication>
#include <QPixmap>

#include "app/stages/Stages.h"

namespace orthochron::app {

void settle(Session& session)
{
    for (int i = 0; i < 4; ++i) {
        session.jobs.finish();
        QCoreApplication::processEvents();
    }
}

void workUpTo(MainWindow& window, Session& session, int stage)
{
    settle(session);
    const int marks = stageNamed(QStringLiteral("Marks")).value();
    if (stage >= marks && session.fitting.preview().performance.hits.empty()) {
        session.hits.detect();
        settle(session);
    }
    if (stage >= stageNamed(QStringLiteral("Joins")).value() && session.review.joins().empty()) {
        session.fitting.apply();
        settle(session);
    }
    window.showStage(stage);
    if (stage == marks) {
        window.action(Command::MainAction)->trigger();
        settle(session);
    }
}

void savePicture(MainWindow& window, Session& session, const QString& file)
{
    // What is drawn the first time asks for what it draws.
    settle(session);
    window.grab();
    settle(session);
    window.tick();
    window.grab().save(file);
}

}  // namespace orthochron::app
