#include "core/tune/Tuning.h"

#include <gtest/gtest.h>

#include "core/files/NotesFile.h"
#include "core/pitch/PitchCurve.h"
#include "core/stretch/StretchPlan.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <cmath>
#include <complex>
#include <fstream>
#include <numbers>

// Notes taken apart and put in tune, on a voice whose truth is known.
namespace orthochron {
namespace {

class SourceOf final : public SampleSource {
public:
    explicit SourceOf(const AudioBuffer& sound) : sound_(sound) {}
    [[nodiscard]] Hertz rate() const override { return kRate; }
    [[nodiscard]] Frames frames() const override { return sound_.frames(); }
    [[nodiscard]] int channels() const override { return sound_.channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        into.clear();
        for (std::int64_t i = 0; i < into.frames().count(); ++i) {
            const std::int64_t at = from.count() + i;
            if (at >= 0 && at < sound_.frames().count()) {
                into.channel(0)[static_cast<std::size_t>(i)] =
                    sound_.channel(0)[static_cast<std::size_t>(at)];
            }
        }
        return {};
    }

private:
    const AudioBuffer& sound_;
};

class TuningTest : public testing::Test {
protected:
    explicit TuningTest(
        const std::vector<testkit::VoiceNote>& melody =
            {{0.3, 0.0},
             {0.9, 57.22},
             {0.8, 61.68},
             {0.3, 0.0},
             {1.0, 64.3, 0.4},
             {0.9, 60.85, 0.0, 0.35},
             {0.4, 0.0}}
    )
        : voice_(testkit::singMelody(melody))
    {
        curve_ = *pitchOf(channelOver(voice_.sound.channel(0)), kRate);
        notes_ = sungNotes(curve_, kRate, Scale());
    }
    [[nodiscard]] Result<Treatment>
    tuning(const TuneAmounts& amounts, const std::vector<NoteChange>& changes = {}) const
    {
        auto asked = tunedBy(notes_, amounts);
        for (const NoteChange& change : changes) {
            const auto done = asked ? changeNote(notes_, *asked, change, kRate) : Result<void>();
            if (!done) {
                return tl::unexpected(done.error());
            }
        }
        return asked ? made(*asked, {}) : tl::unexpected(asked.error());
    }
    [[nodiscard]] Result<Treatment>
    made(const std::vector<NoteTuning>& asked, std::optional<Seconds> glide) const
    {
        return tuningOf(notes_, curve_, asked, glide, voice_.sound.frames(), kRate);
    }
    [[nodiscard]] AudioBuffer heard(const Treatment& treatment) const
    {
        const auto plan = planStretch(treatment, {channelOver(voice_.sound.channel(0))}, kRate);
        EXPECT_TRUE(plan);
        const auto source =
            (*plan)->sourceOf(std::make_unique<SourceOf>(voice_.sound), std::array{0});
        AudioBuffer sound(1, treatment.soundTimeOf(voice_.sound.frames()));
        EXPECT_TRUE(source->read(Frames(0), sound));
        return sound;
    }
    [[nodiscard]] static std::vector<SungNote> notesIn(const AudioBuffer& sound)
    {
        return sungNotes(*pitchOf(channelOver(sound.channel(0)), kRate), kRate, Scale());
    }
    static double rms(const std::vector<double>& values)
    {
        double sum = 0.0;
        for (const double value : values) {
            sum += value * value;
        }
        return std::sqrt(sum / static_cast<double>(values.size()));
    }
    // The frames that are other than they were, from the first to past the last.
    [[nodiscard]] std::pair<Frames, Frames> changedIn(const AudioBuffer& sound) const
    {
        const auto was = voice_.sound.channel(0);
        const auto now = sound.channel(0);
        const auto first = std::ranges::mismatch(was, now).in1 - was.begin();
        auto last = std::ssize(was);
        while (last > first &&
               was[static_cast<std::size_t>(last - 1)] == now[static_cast<std::size_t>(last - 1)]) {
            --last;
        }
        return {Frames(first), Frames(last)};
    }

    testkit::Voice voice_;
    std::vector<PitchFrame> curve_;
    std::vector<SungNote> notes_;
};

TEST_F(TuningTest, TakesNotesApart)
{
    ASSERT_EQ(notes_.size(), 4U);
    const std::array truth{57.22, 61.68, 64.3, 60.85};
    for (std::size_t i = 0; i < 4; ++i) {
        // The last wanders while it is left: its middle is less sure.
        EXPECT_NEAR(notes_[i].centre, truth[i], i == 3 ? 0.08 : 0.02) << i;
        EXPECT_EQ(notes_[i].rung, std::lround(truth[i]));
    }
    EXPECT_TRUE(notes_[0].touchesNext);
    EXPECT_FALSE(notes_[1].touchesNext);
    EXPECT_LT(rms(notes_[0].vibrato), 0.02);
    EXPECT_NEAR(rms(notes_[2].vibrato), 0.4 / std::sqrt(2.0), 0.04);
    EXPECT_LT(rms(notes_[2].wander), 0.04);
    EXPECT_GT(rms(notes_[3].wander), 0.15);
    EXPECT_LT(rms(notes_[3].vibrato), 0.06);
}

TEST_F(TuningTest, TakesOutTheOffsetAndLeavesTheVibrato)
{
    const auto treatment = tuning({.offset = 1.0});
    ASSERT_TRUE(treatment) << treatment.error().message;
    const auto after = notesIn(heard(*treatment));
    ASSERT_EQ(after.size(), 4U);
    for (std::size_t i = 0; i < 4; ++i) {
        EXPECT_LT(std::abs(after[i].offset()), 0.02) << i;
        EXPECT_EQ(after[i].rung, notes_[i].rung);
    }
    EXPECT_NEAR(rms(after[2].vibrato) / rms(notes_[2].vibrato), 1.0, 0.05);
    // Half of it.
    const auto half = notesIn(heard(*tuning({.offset = 0.5})));
    EXPECT_NEAR(half[1].offset(), 0.5 * notes_[1].offset(), 0.02);
}

TEST_F(TuningTest, TakesOutWanderingAndVibratoAsAsked)
{
    const auto flat = notesIn(heard(*tuning({.wander = 1.0, .vibrato = 0.0})));
    ASSERT_EQ(flat.size(), 4U);
    EXPECT_LT(rms(flat[2].vibrato), 0.15 * rms(notes_[2].vibrato));
    EXPECT_LT(rms(flat[3].wander), 0.2 * rms(notes_[3].wander));
    EXPECT_NEAR(flat[1].centre, notes_[1].centre, 0.02);
    const auto more = notesIn(heard(*tuning({.vibrato = 1.5})));
    EXPECT_NEAR(rms(more[2].vibrato) / rms(notes_[2].vibrato), 1.5, 0.12);
}

TEST_F(TuningTest, ChangesNothingThatIsNotAskedFor)
{
    const auto nothing = tuning({});
    ASSERT_TRUE(nothing);
    EXPECT_TRUE(nothing->pitch.empty());
    EXPECT_EQ(heard(*nothing), voice_.sound);
}

TEST_F(TuningTest, OneNoteByThirtyCentsAndNoOther)
{
    const Frames middle = notes_[2].start + (notes_[2].end - notes_[2].start) / 2;
    const auto treatment = tuning({}, {{.at = middle, .semitones = -0.3}});
    ASSERT_TRUE(treatment);
    const AudioBuffer sound = heard(*treatment);
    const auto after = notesIn(sound);
    EXPECT_NEAR(after[2].centre, notes_[2].centre - 0.3, 0.02);
    EXPECT_NEAR(after[3].centre, notes_[3].centre, 0.03);
    // Bit for bit but for the note, what leads into it and a little after it.
    const auto [first, last] = changedIn(sound);
    EXPECT_GT(first, notes_[2].start - toFrames(milliseconds(60.0), kRate));
    EXPECT_LT(last, notes_[3].start + toFrames(milliseconds(700.0), kRate));
}

TEST_F(TuningTest, ANoteIsLengthenedAndItsNeighboursStay)
{
    // It ends in a breath: nobody has to yield.
    const SungNote& note = notes_[1];
    const Frames longer = toFrames(milliseconds(120.0), kRate);
    const auto treatment = tuning({}, {{.at = note.start, .end = note.end + longer}});
    ASSERT_TRUE(treatment) << treatment.error().message;
    const auto after = notesIn(heard(*treatment));
    ASSERT_EQ(after.size(), 4U);
    const Frames near = toFrames(milliseconds(12.0), kRate);
    EXPECT_LT(std::abs((after[1].end - note.end - longer).count()), near.count());
    EXPECT_LT(std::abs((after[1].start - note.start).count()), near.count());
    EXPECT_EQ(heard(*treatment).frames(), voice_.sound.frames());
    const auto now = heard(*treatment);
    const auto from = static_cast<std::size_t>(notes_[2].start.count() + 4800);
    EXPECT_TRUE(
        std::ranges::equal(now.channel(0).subspan(from), voice_.sound.channel(0).subspan(from))
    );
    // A boundary between two that touch: both yield, nobody else.
    const auto moved = tuning({}, {{.at = notes_[0].start, .end = notes_[0].end + longer}});
    ASSERT_TRUE(moved) << moved.error().message;
    EXPECT_EQ(moved->time.soundTimeOf(notes_[1].end), notes_[1].end);
    EXPECT_EQ(moved->time.soundTimeOf(notes_[0].end), notes_[0].end + longer);
}

TEST_F(TuningTest, FormantsGoAlongOnlyWhereTheyAreTold)
{
    // Raised by an octave with its formants a note is the same sound played twice as fast.
    const auto keep = tuning({}, {{.at = notes_[0].start, .semitones = 7.0}});
    const auto move =
        tuning({}, {{.at = notes_[0].start, .semitones = 7.0, .movesFormants = true}});
    ASSERT_TRUE(keep && move);
    const auto kept = notesIn(heard(*keep));
    const auto moved = notesIn(heard(*move));
    EXPECT_NEAR(kept[0].centre, notes_[0].centre + 7.0, 0.03);
    EXPECT_NEAR(moved[0].centre, notes_[0].centre + 7.0, 0.03);
    // The strongest harmonic: near 900 Hz where they stay, 7 semitones higher where they go along.
    const auto strongest = [&](const AudioBuffer& sound) {
        const double hertz = 440.0 * std::exp2((notes_[0].centre + 7.0 - 69.0) / 12.0);
        const auto begin = static_cast<std::size_t>(
            (notes_[0].steadyFrom.count() + notes_[0].steadyTo.count()) / 2
        );
        double best = 0.0;
        double at = 0.0;
        for (int k = 1; k * hertz < 4000.0; ++k) {
            std::complex<double> sum = 0.0;
            for (std::size_t i = 0; i < 8192; ++i) {
                const double turn =
                    -2.0 * std::numbers::pi * k * hertz * static_cast<double>(i) / kRate.count();
                const double window =
                    0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / 8192.0);
                sum += window * static_cast<double>(sound.channel(0)[begin + i - 4096]) *
                       std::polar(1.0, turn);
            }
            if (std::abs(sum) > best) {
                best = std::abs(sum);
                at = k * hertz;
            }
        }
        return at;
    };
    EXPECT_NEAR(
        strongest(heard(*keep)),
        900.0,
        0.5 * 440.0 * std::exp2((notes_[0].centre + 7.0 - 69.0) / 12.0) + 100.0
    );
    EXPECT_NEAR(strongest(heard(*move)), 900.0 * std::exp2(7.0 / 12.0), 250.0);
}

TEST_F(TuningTest, AGlideTakesTheTimeAskedFor)
{
    const auto takes = [&](const AudioBuffer& sound) {
        const auto curve = *pitchOf(channelOver(sound.channel(0)), kRate);
        int frames = 0;
        for (std::size_t n = 0; n < curve.size(); ++n) {
            const Frames at = placeOfPitch(n, kRate);
            if (at > notes_[0].steadyTo - Frames(9600) &&
                at < notes_[1].steadyFrom + Frames(9600) && curve[n].isVoiced()) {
                const double part = (semitonesOf(curve[n]) - 57.22) / (61.68 - 57.22);
                frames += part > 0.15 && part < 0.85 ? 1 : 0;
            }
        }
        return frames;
    };
    const int sung = takes(heard(*tuning({})));
    const auto quick = *made(untuned(notes_), milliseconds(10.0));
    const int fast = takes(heard(quick));
    EXPECT_LT(fast, sung);
    EXPECT_LE(fast, 4);
    // However fast, it goes from the one to the other and nowhere else.
    for (const PitchPoint& point : quick.pitch) {
        EXPECT_LE(std::abs(point.semitones), 61.68 - 57.22);
    }
}

TEST_F(TuningTest, RefusesWhatCannotBe)
{
    EXPECT_FALSE(tuning({.offset = 1.2}));
    EXPECT_FALSE(tuning({.wander = -0.1}));
    EXPECT_FALSE(tuning({.vibrato = 2.5}));
    EXPECT_FALSE(tuning({.vibrato = std::nan("")}));
    EXPECT_FALSE(made(untuned(notes_), Seconds(9.0)));
    EXPECT_FALSE(tuning({}, {{.at = Frames(100)}}));
    EXPECT_FALSE(tuning({}, {{.at = notes_[0].start, .semitones = 30.0}}));
    EXPECT_FALSE(tuning({}, {{.at = notes_[1].start, .end = notes_[1].start}}));
    EXPECT_FALSE(tuning({}, {{.at = notes_[1].start, .end = notes_[2].start + Frames(10)}}));
}

TEST_F(TuningTest, IsOneAnswerHoweverItIsRead)
{
    const auto treatment = *tuning({.offset = 1.0, .wander = 0.5});
    const AudioBuffer whole = heard(treatment);
    const auto plan = *planStretch(treatment, {channelOver(voice_.sound.channel(0))}, kRate);
    const auto source = plan->sourceOf(std::make_unique<SourceOf>(voice_.sound), std::array{0});
    for (const std::int64_t from : {200000, 90000, 90700, 33333, 0}) {
        AudioBuffer part(1, Frames(777));
        ASSERT_TRUE(source->read(Frames(from), part));
        EXPECT_TRUE(std::ranges::equal(
            part.channel(0), whole.channel(0).subspan(static_cast<std::size_t>(from), 777)
        )) << from;
    }
}

TEST_F(TuningTest, ATreatmentSaysWhatItAsksOfEachNote)
{
    auto asked = *tunedBy(notes_, {.offset = 1.0, .wander = 0.4, .vibrato = 0.6});
    asked[1].movesFormants = true;
    asked[2].shift = 0.35;
    const auto read = tuningIn(*made(asked, {}), notes_, kRate);
    ASSERT_EQ(read.size(), asked.size());
    for (std::size_t i = 0; i < read.size(); ++i) {
        EXPECT_NEAR(read[i].shift, asked[i].shift, 0.005) << i;
        EXPECT_EQ(read[i].movesFormants, asked[i].movesFormants);
    }
    EXPECT_NEAR(read[3].wander, 0.4, 0.02);
    EXPECT_NEAR(read[2].vibrato, 0.6, 0.02);
    // What is asked of a later note alone is not read from those before it.
    auto third = untuned(notes_);
    third[2].shift = 0.35;
    const auto alone = tuningIn(*made(third, {}), notes_, kRate);
    EXPECT_EQ(alone[0].shift, 0.0);
    EXPECT_EQ(alone[1].shift, 0.0);
    EXPECT_NEAR(alone[2].shift, 0.35, 0.005);
    // Nothing asked is nothing read.
    for (const NoteTuning& own : tuningIn(*made(untuned(notes_), {}), notes_, kRate)) {
        EXPECT_EQ(own.shift, 0.0);
        EXPECT_EQ(own.wander, 0.0);
        EXPECT_EQ(own.vibrato, 1.0);
    }
}

TEST_F(TuningTest, GentlyLeavesTenCentsAndWhatIsWithinThem)
{
    const auto asked = tunedGently(notes_);
    for (std::size_t i = 0; i < notes_.size(); ++i) {
        const double left = std::abs(notes_[i].offset() + asked[i].shift);
        EXPECT_NEAR(left, std::min(std::abs(notes_[i].offset()), 0.1), 1e-9);
    }
}

TEST(ScaleTest, IsReadByItsNames)
{
    const Scale major = *parseScale("D", "major");
    EXPECT_TRUE(major.has(66));   // F sharp
    EXPECT_FALSE(major.has(65));  // F
    EXPECT_EQ(parseScale("Bb", "minor")->tonic, 10);
    EXPECT_EQ(parseScale("f#", "minor")->tonic, 6);
    EXPECT_EQ(parseScale("Cb", "major")->tonic, 11);
    for (const char* key : {"", "H", "C##", "1", " "}) {
        EXPECT_FALSE(parseScale(key, "major")) << key;
    }
    EXPECT_FALSE(parseScale("C", "happy"));
}

TEST(NoteChanges, AreReadAndRefusedInOneSentence)
{
    const testkit::Folder folder;
    const auto read = [&](const std::string& text) {
        std::ofstream(folder / "notes.json") << text;
        return readNoteChanges(folder / "notes.json", kRate);
    };
    const auto changes = read(
        R"([{"start_s":1.5,"semitones":-1,"cents":30,"formants":"move","new_start_s":1.25},{"start_s":2}])"
    );
    ASSERT_TRUE(changes) << changes.error().message;
    ASSERT_EQ(changes->size(), 2U);
    EXPECT_EQ(changes->front().at, Frames(72000));
    EXPECT_NEAR(changes->front().semitones, -0.7, 1e-12);
    EXPECT_TRUE(changes->front().movesFormants);
    EXPECT_EQ(changes->front().start, Frames(60000));
    EXPECT_FALSE(changes->front().end);
    for (const char* wrong :
         {"",
          "{}",
          "[1]",
          "[{}]",
          R"([{"start_s":"1"}])",
          R"([{"start_s":-1}])",
          R"([{"start_s":1,"semitones":99}])",
          R"([{"start_s":1,"formants":"both"}])",
          R"([{"start_s":1,"loud":3}])"}) {
        const auto refused = read(wrong);
        ASSERT_FALSE(refused) << wrong;
        EXPECT_NE(refused.error().message.find("notes.json"), std::string::npos);
    }
    EXPECT_FALSE(readNoteChanges(folder / "none.json", kRate));
}

}  // namespace
}  // namespace orthochron
