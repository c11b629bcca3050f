#include "testkit/MarkedKit.h"

#include "core/demo/KitRecording.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"

namespace orthochron::testkit {

namespace {

MarkedKit make()
{
    const auto performance = demo::performKit({.bars = 12});
    auto recorded = *demo::recordKit(performance, {});
    MarkedKit kit;
    kit.sources = std::make_shared<Sources>();
    kit.song.tempo = performance.map;
    std::vector<TrackId> tracks;
    for (std::size_t m = 0; m < recorded.size(); ++m) {
        Take take;
        take.name = demo::boathouseMicrophones()[m].name;
        take.frames = recorded[m].frames();
        kit.song = *addTakes(kit.song, {{take, false}});
        kit.sources->put(
            kit.song.takes.back().id,
            std::make_unique<MemorySource>(
                std::make_shared<const AudioBuffer>(std::move(recorded[m])), kit.song.rate
            )
        );
        tracks.push_back(kit.song.tracks.back()->id);
    }
    kit.song = *makeSet(kit.song, tracks, "Kit");
    kit.song = *setLead(*setLead(kit.song, tracks[0], true), tracks[2], true);
    kit.set = kit.song.sets[0].id;
    kit.song = *placeMarks(kit.song, kit.set, *analyseSet(kit.song, kit.set, *kit.sources), {});
    return kit;
}

}  // namespace

const MarkedKit& markedKit()
{
    static const MarkedKit kKit = make();
    return kKit;
}

}  // namespace orthochron::testkit
