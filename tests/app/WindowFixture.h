#pragma once

#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDropEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QTest>
#include <QTimer>

#include <gtest/gtest.h>

#include "app/controls/NumberField.h"
#include "app/theme/Theme.h"
#include "app/views/JoinViews.h"
#include "app/window/MainWindow.h"
#include "core/demo/DemoSong.h"
#include "core/edits/TakeEdits.h"
#include "engine/device/SimulatedDevice.h"
#include "testkit/Folder.h"

#include <fstream>

// The real window on twelve bars of the demo drummer, with a vocabulary of mouse and keys.
namespace orthochron::app {

using testkit::Folder;

// The kit as a song file, written once.
class Kit {
public:
    Kit()
    {
        const auto kit = testkit::writeSmallKit(folder_.path(), 12);
        Song song;
        song.name = "Small kit";
        song.tempo = *TempoMap::steady(kit.bpm, {}, Seconds(kit.firstDownbeat));
        std::vector<ImportedTake> takes;
        for (const auto& path : kit.takes) {
            takes.push_back({*takeFromFile(path, song.rate, folder_.path()), false});
        }
        song = *addTakes(song, std::move(takes));
        std::vector<TrackId> tracks;
        for (const auto& track : song.tracks) {
            tracks.push_back(track->id);
        }
        song = *makeSet(song, tracks, "Kit");
        song = *setLead(*setLead(song, tracks[0], true), tracks[2], true);
        EXPECT_TRUE(saveSong({History(song), {}}, folder_ / "kit.orthochron"));
    }
    static Kit& shared()
    {
        static Kit kit;
        return kit;
    }
    [[nodiscard]] const Folder& folder() const { return folder_; }

private:
    Folder folder_;
};

class Window : public testing::Test {
protected:
    Window()
    {
        // A copy of the song beside the takes for each test; takes are never written to.
        const auto name =
            std::string(testing::UnitTest::GetInstance()->current_test_info()->name());
        path_ = Kit::shared().folder() / (name + ".orthochron");
        std::filesystem::copy_file(Kit::shared().folder() / "kit.orthochron", path_);
        open();
    }
    void open()
    {
        window_.reset();
        session_.reset();
        player_.reset();
        document_.reset();
        jobs_ = std::make_unique<JobQueue>();
        document_ = std::make_unique<Document>();
        player_ = std::make_unique<engine::Player>(
            std::make_unique<engine::SimulatedDevice>(engine::SimulatedDevice::Clock::ByHand)
        );
        session_ = std::make_unique<Session>(*jobs_, *document_, *player_);
        window_ = std::make_unique<MainWindow>(*session_);
        window_->resize(1280, 800);
        window_->show();
        EXPECT_TRUE(QTest::qWaitForWindowExposed(window_.get()));
        // A bare X server has no window manager to give the window the keys.
        QApplication::setActiveWindow(window_.get());
    }
    ~Window() override
    {
        document_->discard();
        jobs_->finish();
    }
    void openSong()
    {
        window_->openSong(QString::fromStdString(path_.string()));
        settle();
    }
    void settle()
    {
        for (int i = 0; i < 4; ++i) {
            jobs_->finish();
            QCoreApplication::processEvents();
        }
    }
    // Delete while the text of a field is selected.
    static void resetField(NumberField* field)
    {
        QTest::keyClick(field, Qt::Key_Return);
        QTest::keyClick(field->findChild<QLineEdit*>(), Qt::Key_Delete);
    }
    void press(Qt::Key key, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
    {
        QApplication::setActiveWindow(window_.get());  // a question box may have had the keys
        window_->lanes().setFocus();
        QTest::keyClick(&window_->lanes(), key, modifiers);
        settle();
    }
    void findHitsAndFit()
    {
        openSong();
        press(Qt::Key_3);
        press(Qt::Key_F);
        press(Qt::Key_4);
        press(Qt::Key_F);
    }
    template<class T>
    T* child(const char* name)
    {
        return window_->findChild<T*>(QLatin1String(name));
    }
    const Song& song() { return session_->song(); }
    std::string status() { return window_->statusText().toStdString(); }
    // Answers the next question box with the button of this role.
    void answerNext(QMessageBox::ButtonRole role)
    {
        QTimer::singleShot(0, &answers_, [role, this] { answer(role, 200); });
    }
    void answer(QMessageBox::ButtonRole role, int tries)
    {
        auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
        if (box == nullptr) {
            if (tries > 0) {
                QTimer::singleShot(5, &answers_, [role, tries, this] { answer(role, tries - 1); });
            }
            return;
        }
        for (QAbstractButton* button : box->buttons()) {
            if (box->buttonRole(button) == role) {
                button->click();
                return;
            }
        }
    }
    // Gives the next file dialog this path, or types this into the next question for a text.
    void chooseFileNext(const std::filesystem::path& path)
    {
        QTimer::singleShot(0, &answers_, [this, path] { chooseFile(path, 200); });
    }
    void typeNext(const QString& text)
    {
        QTimer::singleShot(0, &answers_, [this, text] { type(text, 200); });
    }
    void chooseFile(const std::filesystem::path& path, int tries)
    {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        if (dialog == nullptr) {
            if (tries > 0) {
                QTimer::singleShot(5, &answers_, [this, path, tries] {
                    chooseFile(path, tries - 1);
                });
            }
            return;
        }
        // Types the path as a user would: the list of files may still be loading.
        auto* name = dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
        name->setText(QString::fromStdString(path.string()));
        QTest::keyClick(name, Qt::Key_Return);
    }
    void type(const QString& text, int tries)
    {
        auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        if (dialog == nullptr) {
            if (tries > 0) {
                QTimer::singleShot(5, &answers_, [this, text, tries] { type(text, tries - 1); });
            }
            return;
        }
        dialog->setTextValue(text);
        dialog->accept();
    }
    void choose(const char* name, int index)
    {
        auto* box = child<QComboBox>(name);
        box->setCurrentIndex(index);
        Q_EMIT box->activated(index);
        settle();
    }
    // Sets a field as if the hand had let go of it at this value.
    void set(const char* name, double value)
    {
        auto* field = child<NumberField>(name);
        field->setValue(value);
        Q_EMIT field->changed(value);
        Q_EMIT field->finished(value);
        settle();
    }
    void click(const char* name)
    {
        QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton);
        settle();
    }
    QPoint onLane(int lane, Frames at)
    {
        const auto& lanes = window_->lanes().lanes();
        return {
            static_cast<int>(std::lround(window_->lanes().xOf(at))),
            lanes[static_cast<std::size_t>(lane)].area.center().y()};
    }
    void drag(QPoint from, QPoint to, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
    {
        LanesView* lanes = &window_->lanes();
        QTest::mousePress(lanes, Qt::LeftButton, modifiers, from);
        for (int step = 1; step <= 4; ++step) {
            const QPoint place = from + (to - from) * step / 4;
            QMouseEvent move(
                QEvent::MouseMove,
                place,
                lanes->mapToGlobal(place),
                Qt::NoButton,
                Qt::LeftButton,
                modifiers
            );
            QApplication::sendEvent(lanes, &move);
        }
        QTest::mouseRelease(lanes, Qt::LeftButton, modifiers, to);
        settle();
    }
    void drop(const QStringList& paths)
    {
        QList<QUrl> urls;
        for (const QString& path : paths) {
            urls << QUrl::fromLocalFile(path);
        }
        dropAddresses(urls);
    }
    void dropAddresses(const QList<QUrl>& urls)
    {
        QMimeData mime;
        mime.setUrls(urls);
        QDragEnterEvent enter(
            QPoint(400, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier
        );
        QApplication::sendEvent(window_.get(), &enter);
        QDropEvent event(QPointF(400, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(window_.get(), &event);
        settle();
    }

    std::filesystem::path path_;
    std::unique_ptr<JobQueue> jobs_;
    std::unique_ptr<Document> document_;
    std::unique_ptr<engine::Player> player_;
    std::unique_ptr<Session> session_;
    std::unique_ptr<MainWindow> window_;
    QObject answers_;  // an answer that nobody asked for ends with its test
};

}  // namespace orthochron::app
