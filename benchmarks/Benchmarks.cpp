#include <QAbstractButton>
#include <QAction>
#include <QApplication>

#include <aubio/aubio.h>
#include <benchmark/benchmark.h>

#include "app/theme/Theme.h"
#include "app/window/MainWindow.h"
#include "core/demo/DemoSong.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/onset/Microphones.h"
#include "core/render/Print.h"
#include "core/tempo/MapDraft.h"
#include "engine/device/SimulatedDevice.h"

#include <chrono>
#include <filesystem>
#include <thread>

// Figures are ratios to a named library or a limit in the same run; docs/benchmarks.md says how
// to read them. aubio is measured here and linked nowhere else.
namespace orthochron {
namespace {

namespace fs = std::filesystem;

const fs::path& folder()
{
    static const fs::path kFolder = fs::temp_directory_path() / "orthochron-benchmark";
    return kFolder;
}

// Eight microphones, five minutes: 115 bars at 92 bpm.
const std::vector<fs::path>& fiveMinutes()
{
    static const std::vector<fs::path> kTakes =
        *demo::writeKitTakes(demo::performKit({.bars = 115}), {}, folder());
    return kTakes;
}

struct Loaded {
    Song song;
    std::shared_ptr<Sources> sources = std::make_shared<Sources>();
    SetId set;
};

Loaded load()
{
    Loaded loaded;
    loaded.song.tempo = *TempoMap::steady(92.0, {}, Seconds(0.5));
    std::vector<TrackId> tracks;
    for (const auto& path : fiveMinutes()) {
        auto reader = *SoundFileReader::open(path);
        Take take;
        take.name = path.stem().string();
        take.path = path.string();
        take.frames = reader->frames();
        loaded.song = *addTakes(loaded.song, {{take, false}});
        loaded.sources->put(
            loaded.song.takes.back().id,
            std::make_unique<MemorySource>(*readAll(*reader), loaded.song.rate)
        );
        tracks.push_back(loaded.song.tracks.back()->id);
    }
    loaded.song = *makeSet(loaded.song, tracks, "Kit");
    loaded.song = *setLead(*setLead(loaded.song, tracks[0], true), tracks[2], true);
    loaded.set = loaded.song.sets[0].id;
    return loaded;
}

void print(const Loaded& loaded, const Song& song)
{
    std::vector<TrackPrint> prints;
    for (const auto& track : song.tracks) {
        prints.push_back({track->id, folder() / "out" / (track->name + ".wav"), 0});
    }
    fs::create_directories(folder() / "out");
    benchmark::DoNotOptimize(printTracks(
        song, *loaded.sources, prints, {Frames(0), song.length(), PrintFormat::Wav24, false}
    ));
}

void ReadAndWriteEightByFiveMinutes(benchmark::State& state)
{
    (void)fiveMinutes();
    for (auto _ : state) {
        const Loaded loaded = load();
        print(loaded, loaded.song);
    }
}
BENCHMARK(ReadAndWriteEightByFiveMinutes)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(3);

void ReadMarkFitAndWriteEightByFiveMinutes(benchmark::State& state)
{
    (void)fiveMinutes();
    for (auto _ : state) {
        const Loaded loaded = load();
        const Song marked = *placeMarks(
            loaded.song, loaded.set, *analyseSet(loaded.song, loaded.set, *loaded.sources), {}
        );
        const auto fitted = fitSet(marked, loaded.set, {}, *loaded.sources);
        print(loaded, fitted->song);
    }
}
BENCHMARK(ReadMarkFitAndWriteEightByFiveMinutes)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(3);

Song stretched(const Loaded& loaded, Material material)
{
    const Song marked = *placeMarks(
        loaded.song, loaded.set, *analyseSet(loaded.song, loaded.set, *loaded.sources), {}
    );
    FitRequest request;
    request.way = {.method = FitMethod::Stretch, .material = material};
    return fitSet(marked, loaded.set, request, *loaded.sources)->song;
}

// From the song just fitted by stretching, in the middle, until the card has something of it to play.
void FirstSoundAfterStretchingEightByFiveMinutes(benchmark::State& state)
{
    const auto material = static_cast<Material>(state.range(0));
    const Loaded loaded = load();
    const Song song = stretched(loaded, material);
    for (auto _ : state) {
        // What was made ready for the round before is not there any more.
        const auto sources = *Sources::open(song, folder());
        engine::Player player(std::make_unique<engine::SimulatedDevice>());
        player.setSong(std::make_shared<const Song>(loaded.song), sources);
        player.seek(Frames(48000 * 150));
        const Frames from = player.position();
        const auto begun = std::chrono::steady_clock::now();
        player.setSong(std::make_shared<const Song>(song), sources);
        player.play();
        while (player.position() <= from) {
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
        }
        state.SetIterationTime(
            std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count()
        );
        // Whether it keeps up from then on, what stands in and what is made meanwhile on all cores.
        std::this_thread::sleep_for(std::chrono::seconds(20));
        state.counters["dropouts in 20 s"] += static_cast<double>(player.dropouts());
    }
}
BENCHMARK(FirstSoundAfterStretchingEightByFiveMinutes)
    ->Arg(static_cast<int>(Material::Hits))
    ->Arg(static_cast<int>(Material::Line))
    ->Arg(static_cast<int>(Material::Blend))
    ->Unit(benchmark::kMillisecond)
    ->UseManualTime()
    ->Iterations(3);

// All of it, fine.
void RenderEightStretchedByFiveMinutes(benchmark::State& state)
{
    const auto material = static_cast<Material>(state.range(0));
    const Loaded loaded = load();
    const Song song = stretched(loaded, material);
    for (auto _ : state) {
        const Loaded anew{song, *Sources::open(song, folder()), loaded.set};
        print(anew, song);
    }
    state.counters["of its length"] = benchmark::Counter(
        toSeconds(song.length(), song.rate).count(),
        benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert
    );
}
BENCHMARK(RenderEightStretchedByFiveMinutes)
    ->Arg(static_cast<int>(Material::Hits))
    ->Arg(static_cast<int>(Material::Line))
    ->Arg(static_cast<int>(Material::Blend))
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

// One microphone of the five minutes.
std::vector<float> oneTake(const Loaded& loaded, std::size_t microphone)
{
    std::vector<float> sound(static_cast<std::size_t>(loaded.song.length().count()));
    (void)loaded.sources->read(loaded.song.takes[microphone].id, 0, Frames(0), sound);
    return sound;
}

// One take, and so many others that are heard beside it; how many times real time.
void OnsetsOfOneLead(benchmark::State& state)
{
    constexpr std::size_t kLead = 2;
    const Loaded loaded = load();
    const auto beside = static_cast<std::size_t>(state.range(0));
    std::vector<HeardMicrophone> microphones;
    const auto add = [&](std::size_t take, std::optional<OnsetSettings> lead) {
        microphones.push_back(
            {loaded.sources->channel(loaded.song.takes[take].id, 0), Frames(0), std::move(lead)}
        );
    };
    add(kLead, OnsetSettings());
    for (std::size_t take = 0; take < loaded.song.takes.size() && microphones.size() <= beside;
         ++take) {
        if (take != kLead) {
            add(take, std::nullopt);
        }
    }
    for (auto _ : state) {
        benchmark::DoNotOptimize(analyseMicrophones(microphones, loaded.song.rate));
    }
    state.counters["real time"] = benchmark::Counter(
        toSeconds(loaded.song.length(), loaded.song.rate).count(),
        benchmark::Counter::kIsIterationInvariantRate
    );
}
BENCHMARK(OnsetsOfOneLead)->Arg(0)->Arg(7)->Unit(benchmark::kMillisecond)->UseRealTime();

void TempoOfOneTake(benchmark::State& state)
{
    const Loaded loaded = load();
    const auto sound = oneTake(loaded, 5);
    for (auto _ : state) {
        benchmark::DoNotOptimize(findTempo(channelOver(sound), loaded.song.rate));
    }
}
BENCHMARK(TempoOfOneTake)->Unit(benchmark::kMillisecond)->UseRealTime();

void MapOfOneTake(benchmark::State& state)
{
    const Loaded loaded = load();
    const auto sound = oneTake(loaded, 5);
    const std::vector<Channel> takes{channelOver(sound)};
    for (auto _ : state) {
        benchmark::DoNotOptimize(draftMap(takes, loaded.song.rate, {}));
    }
}
BENCHMARK(MapOfOneTake)->Unit(benchmark::kMillisecond)->UseRealTime();

void BeatsOfOneTakeByAubio(benchmark::State& state)
{
    const Loaded loaded = load();
    const auto sound = oneTake(loaded, 5);
    for (auto _ : state) {
        aubio_tempo_t* tempo = new_aubio_tempo("default", 1024, 512, 48000);
        fvec_t in{512, nullptr};
        fvec_t* out = new_fvec(1);
        std::vector<float> block(512);
        for (std::size_t from = 0; from + block.size() <= sound.size(); from += block.size()) {
            std::copy_n(
                sound.begin() + static_cast<std::ptrdiff_t>(from), block.size(), block.begin()
            );
            in.data = block.data();
            aubio_tempo_do(tempo, &in, out);
        }
        benchmark::DoNotOptimize(aubio_tempo_get_bpm(tempo));
        del_fvec(out);
        del_aubio_tempo(tempo);
    }
}
BENCHMARK(BeatsOfOneTakeByAubio)->Unit(benchmark::kMillisecond)->UseRealTime();

void OnsetsOfOneLeadByAubio(benchmark::State& state)
{
    const Loaded loaded = load();
    std::vector<float> sound(static_cast<std::size_t>(loaded.song.length().count()));
    (void)loaded.sources->read(loaded.song.takes[2].id, 0, Frames(0), sound);
    for (auto _ : state) {
        aubio_onset_t* onset = new_aubio_onset("hfc", 1024, 256, 48000);
        fvec_t* out = new_fvec(2);
        for (std::size_t at = 0; at + 256 <= sound.size(); at += 256) {
            fvec_t in{256, sound.data() + at};
            aubio_onset_do(onset, &in, out);
        }
        del_fvec(out);
        del_aubio_onset(onset);
    }
}
BENCHMARK(OnsetsOfOneLeadByAubio)->Unit(benchmark::kMillisecond)->UseRealTime();

// ---- the window: 24 tracks with a thousand clips each

struct BigWindow {
    app::JobQueue jobs;
    app::Document document;
    engine::Player player{
        std::make_unique<engine::SimulatedDevice>(engine::SimulatedDevice::Clock::ByHand)};
    app::Session session{jobs, document, player};
    app::MainWindow window{session};

    BigWindow()
    {
        Song song;
        const auto path = fiveMinutes()[0];
        std::vector<TrackId> tracks;
        for (int t = 0; t < 24; ++t) {
            song = *addTakes(
                song,
                {{*takeFromFile(fiveMinutes()[static_cast<std::size_t>(t % 8)], song.rate, {}),
                  false}}
            );
            Track track = *song.tracks.back();
            const Clip whole = track.clips[0];
            track.clips.clear();
            const std::int64_t length = whole.length.count() / 1000;
            for (std::int64_t i = 0; i < 1000; ++i) {
                Clip clip = whole;
                clip.id = ClipId{++song.lastId};
                clip.part = PartId{clip.id.value};
                clip.at = Frames(i * length);
                clip.soundStart = Frames(i * length + (i % 7) * 10);
                clip.length = Frames(length + 240);
                clip.in.length = i > 0 ? Frames(240) : Frames(0);
                clip.out.length = Frames(240);
                track.clips.push_back(clip);
            }
            putTrack(song, track);
            tracks.push_back(track.id);
        }
        song = *makeSet(song, tracks, "Kit");
        window.resize(1280, 800);
        window.show();
        document.apply(song, QStringLiteral("Big"));
        settle();
        session.shown.zoomToAll();
    }
    void settle()
    {
        for (int i = 0; i < 3; ++i) {
            jobs.finish();
            QCoreApplication::processEvents();
        }
    }
};

void FrameWhileScrolling(benchmark::State& state)
{
    BigWindow big;
    app::TimeScale scale;
    scale.framesPerPixel = static_cast<double>(state.range(0));
    QImage image(big.window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
    for (auto _ : state) {
        scale.left += 40.0 * scale.framesPerPixel;
        if (scale.left > 10e6) {
            scale.left = 0.0;
        }
        big.session.shown.setScale(scale);
        big.window.lanes().render(&image);
    }
}
BENCHMARK(FrameWhileScrolling)
    ->Arg(100)
    ->Arg(1000)
    ->Arg(11000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void EditByHandShown(benchmark::State& state)
{
    BigWindow big;
    QImage image(big.window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
    std::size_t index = 1;
    for (auto _ : state) {
        const SetId set = big.session.song().sets[0].id;
        index = index % 900 + 1;
        big.document.apply(
            changeJoin(
                big.session.song(),
                set,
                big.session.review.joins()[index].id,
                {Frames(200 + static_cast<std::int64_t>(index % 5)), std::nullopt, std::nullopt}
            ),
            QStringLiteral("Edit")
        );
        big.window.lanes().render(&image);
    }
    big.document.discard();
}
BENCHMARK(EditByHandShown)->Unit(benchmark::kMillisecond)->UseRealTime();

// The same with 200 hushes and 2000 points of level lines over its tracks, in Shape.
struct ShapedWindow : BigWindow {
    ShapedWindow()
    {
        Song song = session.song();
        for (std::size_t t = 0; t < song.tracks.size(); ++t) {
            Track track = *song.tracks[t];
            for (int i = 0; i < 84; ++i) {
                track.level.points.push_back({HeldPlace(7.0 * i), -1.0 * (i % 9), 0.3});
            }
            for (int i = 0; i < 8; ++i) {
                Hush hush;
                hush.id = HushId{++song.lastId};
                hush.from = HeldPlace(70.0 * i + static_cast<double>(t));
                hush.to = HeldPlace(70.0 * i + static_cast<double>(t) + 8.0);
                track.hushes.push_back(hush);
            }
            putTrack(song, track);
        }
        document.apply(song, QStringLiteral("Shaped"));
        window.showStage(6);
        settle();
        session.shown.zoomToAll();
    }
};

void FrameOfAShapedSong(benchmark::State& state)
{
    ShapedWindow big;
    QImage image(big.window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
    for (auto _ : state) {
        big.window.lanes().render(&image);
    }
    big.document.discard();
}
BENCHMARK(FrameOfAShapedSong)->Unit(benchmark::kMillisecond)->UseRealTime();

void EditOfAShapedSongShown(benchmark::State& state)
{
    ShapedWindow big;
    QImage image(big.window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
    int turn = 0;
    for (auto _ : state) {
        const Song& song = big.session.song();
        LevelLine line = song.tracks[3]->level;
        line.points[40].level = -0.1 * (++turn % 100);
        big.document.apply(
            setLevelLine(song, std::array{song.tracks[3]->id}, line), QStringLiteral("Edit")
        );
        big.window.lanes().render(&image);
    }
    big.document.discard();
}
BENCHMARK(EditOfAShapedSongShown)->Unit(benchmark::kMillisecond)->UseRealTime();

// A clip moved on all 24 tracks, in the By hand way, with all clips chosen once before.
void ClipMovedShown(benchmark::State& state)
{
    BigWindow big;
    big.window.showStage(3);
    big.window.findChild<QAbstractButton*>(QStringLiteral("wayByHand"))->click();
    big.window.action(app::Command::SelectAll)->trigger();
    QImage image(big.window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
    std::size_t index = 1;
    for (auto _ : state) {
        index = index % 900 + 1;
        const ClipId clip = big.session.song().tracks[3]->clips[index].id;
        big.session.choice.setClips(withTheirSet(big.session.song(), {clip}));
        big.window.action(app::Command::NudgeOnCoarse)->trigger();
        big.window.lanes().render(&image);
    }
    big.document.discard();
}
BENCHMARK(ClipMovedShown)->Unit(benchmark::kMillisecond)->UseRealTime();

void SliderMovedOnFiveMinutes(benchmark::State& state)
{
    const Loaded loaded = load();
    const Song marked = *placeMarks(
        loaded.song, loaded.set, *analyseSet(loaded.song, loaded.set, *loaded.sources), {}
    );
    FitRequest request;
    for (auto _ : state) {
        request.fit.feel = request.fit.feel > 0.5 ? 0.0 : 1.0;
        benchmark::DoNotOptimize(previewFit(marked, loaded.set, request));
    }
}
BENCHMARK(SliderMovedOnFiveMinutes)->Unit(benchmark::kMillisecond)->UseRealTime();

// A fit of the whole song, made and not only shown.
void FitMadeOnFiveMinutes(benchmark::State& state)
{
    const Loaded loaded = load();
    const Song marked = *placeMarks(
        loaded.song, loaded.set, *analyseSet(loaded.song, loaded.set, *loaded.sources), {}
    );
    for (auto _ : state) {
        benchmark::DoNotOptimize(fitSet(marked, loaded.set, {}, *loaded.sources));
    }
}
BENCHMARK(FitMadeOnFiveMinutes)->Unit(benchmark::kMillisecond)->UseRealTime();

// A song of 24 tracks with a thousand clips each, opened until its lanes are drawn; outlines of
// the waves come in after that.
void BigSongOpened(benchmark::State& state)
{
    const fs::path file = folder() / "big.orthochron";
    {
        BigWindow big;
        (void)big.document.save(QString::fromStdString(file.string()));
        big.settle();
        big.document.discard();
    }
    for (auto _ : state) {
        state.PauseTiming();
        auto jobs = std::make_unique<app::JobQueue>();
        app::Document document;
        engine::Player player(
            std::make_unique<engine::SimulatedDevice>(engine::SimulatedDevice::Clock::ByHand)
        );
        app::Session session(*jobs, document, player);
        app::MainWindow window(session);
        window.resize(1280, 800);
        window.show();
        QImage image(window.lanes().size(), QImage::Format_ARGB32_Premultiplied);
        state.ResumeTiming();
        window.openSong(QString::fromStdString(file.string()));
        window.lanes().render(&image);
        state.PauseTiming();
        jobs->finish();
        document.discard();
        state.ResumeTiming();
    }
}
BENCHMARK(BigSongOpened)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
}  // namespace orthochron

int main(int argc, char** argv)
{
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("orthochron-benchmark"));
    orthochron::app::Theme::install();
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    std::filesystem::remove_all(orthochron::folder());
    return 0;
}
