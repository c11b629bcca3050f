#pragma once

#include <QElapsedTimer>

#include "app/session/Session.h"

namespace orthochron::app {

// Plays on with a song as it would be if what is dragged were let go now, a few times a second: each is a new stream.
class HeardWhileDragged final {
public:
    explicit HeardWhileDragged(Session& session) : session_(session) {}

    // `made` is asked for only when it is time; what cannot be is not heard. Nothing while nothing plays.
    template<class Made>
    void hear(const Made& made)
    {
        constexpr qint64 kEvery = 150;  // ms
        if (!session_.player.isPlaying() || (last_.isValid() && last_.elapsed() < kEvery)) {
            return;
        }
        last_.start();
        if (Result<Song> song = made()) {
            session_.player.setSong(
                std::make_shared<const Song>(std::move(*song)), session_.document.sources()
            );
        }
    }
    // Back to the song as it is.
    void end()
    {
        if (last_.isValid()) {
            last_.invalidate();
            session_.player.setSong(session_.document.song(), session_.document.sources());
        }
    }

private:
    Session& session_;
    QElapsedTimer last_;  // since it was heard last; invalid while nothing is dragged
};

}  // namespace orthochron::app
