#include "app/session/SongView.h"

#include <algorithm>

namespace orthochron::app {

SongView::SongView(Document& document, QObject* parent) : QObject(parent), document_(document) {}

void SongView::clamp()
{
    const auto length = static_cast<double>(document_.song()->length().count());
    const double span = scale_.framesPerPixel * width_;
    scale_.left =
        std::clamp(scale_.left, -0.05 * span, std::max(-0.05 * span, length - 0.5 * span));
}

void SongView::setScale(TimeScale scale)
{
    scale_ = scale;
    clamp();
    Q_EMIT changed();
}

void SongView::setWidth(int pixels)
{
    width_ = std::max(pixels, 100);
    clamp();
    Q_EMIT changed();
}

void SongView::zoom(double factor, double x)
{
    scale_.zoom(factor, x);
    clamp();
    Q_EMIT changed();
}

void SongView::zoomTo(TimeRange range)
{
    const auto length = static_cast<double>((range.to - range.from).count());
    scale_.framesPerPixel = std::clamp(length / width_ * 1.06, 1.0 / 16.0, 131072.0);
    scale_.left = static_cast<double>(range.from.count()) - 0.03 * length;
    clamp();
    Q_EMIT changed();
}

void SongView::zoomToAll()
{
    zoomTo({Frames(0), std::max(document_.song()->length(), Frames(48000))});
}

void SongView::reveal(Frames songTime)
{
    const double x = scale_.xOf(songTime);
    if (x < 0.05 * width_ || x > 0.95 * width_) {
        scale_.left = static_cast<double>(songTime.count()) - 0.3 * width_ * scale_.framesPerPixel;
        clamp();
        Q_EMIT changed();
    }
}

void SongView::setFollows(bool follows)
{
    follows_ = follows;
    Q_EMIT followsChanged();
}

}  // namespace orthochron::app
