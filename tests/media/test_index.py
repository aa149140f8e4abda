"""Frame numbers: every kind of clip counts its frames as a linear decode does."""

import os
import struct
from fractions import Fraction

import av
import numpy as np

from skiagraph.errors import CannotOpenMedia
from skiagraph.media.clip import fingerprint, probe
from skiagraph.media.frame import stored
from skiagraph.media.index import build_index, load_index, open_clip, verify
from skiagraph.media.reader import FrameReader
from tests.support import TemporaryFolder, make_clip, read_number

KINDS = {
    "b-frames": dict(options={"bf": 3, "g": 12}),
    "open gop": dict(options={"bf": 3, "g": 12, "x264-params": "open-gop=1:scenecut=0"}),
    "variable rate": dict(options={"bf": 2, "g": 10}, time_base=Fraction(1, 1000), pts=lambda n: n * 40 + (n % 3) * 7),
    "late start": dict(options={"g": 8}, time_base=Fraction(1, 1000), pts=lambda n: 5000 + n * 40),
    "29.97": dict(rate=Fraction(30000, 1001), options={"g": 15}),
    "one sync sample": dict(options={"g": 500, "bf": 3}),
    "turned": dict(rotation=90, options={"g": 9}),
    "hevc": dict(encoder="libx265", options={"g": 12, "x265-params": "log-level=none:bframes=3"}),
    "ten bit": dict(pixel_format="yuv420p10le", options={"g": 9}),
}


# AVI tells of each picture when it is decoded, not when it is shown.
OF_AVI = {
    "avi, h264": dict(options={"bf": 3, "g": 12, "b-pyramid": "normal"}),
    "avi, h264, open gop": dict(options={"bf": 3, "g": 12, "x264-params": "open-gop=1:scenecut=0"}),
    "avi, mpeg4": dict(encoder="mpeg4", options={"bf": 2, "g": 12, "qscale": 2}),
    "avi, mpeg2": dict(encoder="mpeg2video", options={"bf": 2, "g": 12, "qscale": 2}),
}


def packed(path, made):
    """An AVI whose packets hold a picture and the one that is shown before it, as encoders packed them that knew no
    other way; after each comes one that holds nothing."""
    # Says, in the encoder's own words, that pictures are packed.
    says = b"\0\0\1\xb2DivX503b1393p"
    with av.open(str(made)) as source, av.open(str(path), "w") as out:
        stream = out.add_stream_from_template(source.streams.video[0])
        packets = [bytes(p) for p in source.demux(video=0) if p.size]
        shown_before = [is_b for is_b in (p[p.rfind(b"\0\0\1\xb6") + 4] >> 6 == 2 for p in packets)] + [False]
        written = []
        for n, data in enumerate(packets):
            if shown_before[n]:
                written.append(b"\0\0\1\xb6\x51\0\0\0")
            else:
                data = data.replace(b"\0\0\1\xb6", says + b"\0\0\1\xb6", 1) if n == 0 else data
                written.append(data + (packets[n + 1] if shown_before[n + 1] else b""))
        for n, data in enumerate(written):
            packet = av.Packet(data)
            packet.stream, packet.pts, packet.dts, packet.time_base, packet.is_keyframe = (
                stream,
                n,
                n,
                Fraction(1, 25),
                n == 0,
            )
            out.mux(packet)
    return path


def linear_decode(path):
    with av.open(str(path)) as container:
        return [
            (
                f.pts,
                np.frombuffer(f.planes[0], np.uint8).reshape(-1, f.planes[0].line_size)[: f.height, : f.width].copy(),
            )
            for f in container.decode(video=0)
        ]


class IndexTest(TemporaryFolder):
    def clip(self, name, **how):
        suffix = ".mkv" if name == "late start" else ".mp4"
        return make_clip(self.folder / (name.replace(" ", "-").replace(".", "") + suffix), 60, **how)

    def test_random_access_equals_linear_decode(self):
        order = np.random.default_rng(3).permutation(60)
        for name, how in KINDS.items():
            with self.subTest(name):
                path = self.clip(name, **how)
                truth = linear_decode(path)
                info, index = open_clip(path)
                self.assertEqual(index.pts.tolist(), [pts for pts, _ in truth])
                with FrameReader(info, index) as reader:
                    for n in (*order[:25], 59, 0, 1, 2, 58, 57):
                        frame = reader.read(int(n))
                        self.assertEqual(frame.pts, truth[n][0])
                        self.assertEqual(read_number(stored(frame.grey(), info.rotation)), n)

    def test_rough_reading_gives_the_same_frames(self):
        for name, how in KINDS.items():
            with self.subTest(name):
                info, index = open_clip(self.clip(name, **how))
                with FrameReader(info, index, threads=1, rough=True) as reader:
                    self.assertEqual(
                        [read_number(stored(frame.grey(), info.rotation)) for frame in reader.frames()], list(range(60))
                    )
                    self.assertEqual(read_number(stored(reader.read(17).grey(), info.rotation)), 17)

    def test_where_a_file_tells_when_to_decode_the_order_of_decoded_pictures_counts(self):
        for name, how in OF_AVI.items():
            with self.subTest(name):
                self.check_as_shown(
                    make_clip(self.folder / f"{name.replace(', ', '-').replace(' ', '-')}.avi", 60, **how)
                )

    def test_pictures_that_are_packed_two_by_two_are_all_there(self):
        made = make_clip(
            self.folder / "made.avi",
            60,
            encoder="mpeg4",
            options={"bf": 1, "g": 60, "qscale": 2, "sc_threshold": 1_000_000_000},
        )
        self.check_as_shown(packed(self.folder / "packed.avi", made))

    def check_as_shown(self, path):
        numbers = [read_number(luma) for _, luma in linear_decode(path)]
        self.assertEqual(numbers, list(range(60)), "what is tested is itself in order")
        info, index = open_clip(path)
        self.assertEqual((len(index), index.damage), (60, ""))
        with FrameReader(info, index) as reader:
            for n in (*range(60), *np.random.default_rng(5).permutation(60).tolist()):
                self.assertEqual(read_number(stored(reader.read(n).grey(), info.rotation)), n)

    def test_time_goes_by_the_frames_own_times_where_the_rate_varies(self):
        path = make_clip(
            self.folder / "film.mp4",
            20,
            options={"g": 5},
            time_base=Fraction(1, 1000),
            pts=lambda n: n * 40 if n < 10 else 400 + (n - 10) * 200,
        )
        _, index = open_clip(path)
        self.assertTrue(index.is_variable)
        self.assertEqual([index.frame_after(0, s) for s in (0, 0.1, 0.39, 0.45, 0.65, 1.01)], [0, 2, 9, 10, 11, 13])
        self.assertEqual([index.frame_after(12, s) for s in (-0.3, -0.65)], [10, 3])
        self.assertEqual(index.frame_after(19, 0.0), 19)
        self.assertGreater(index.frame_after(19, 3.0), 20, "it counts on past the end, so that playing stops")
        self.assertLess(index.frame_after(2, -1.0), -2)

    def test_where_times_go_back_the_clip_ends_and_says_so(self):
        one = make_clip(self.folder / "one.ts", 20, encoder="mpeg2video", options={"g": 5})
        (self.folder / "two.ts").write_bytes(one.read_bytes() * 2)
        _, index = open_clip(self.folder / "two.ts")
        self.assertTrue(15 <= len(index) <= 20)
        self.assertSentence(index.damage, "two.ts", "can be used")

    def test_a_film_that_begins_late_is_not_damaged(self):
        path = make_clip(self.folder / "late.mkv", 20, time_base=Fraction(1, 1000), pts=lambda n: 7000 + n * 40)
        self.assertEqual((len(open_clip(path)[1]), open_clip(path)[1].damage), (20, ""))

    def test_edit_list_hides_trimmed_frames(self):
        source = make_clip(self.folder / "whole.mp4", 60, options={"g": 30, "bf": 2})
        trimmed = self.folder / "trimmed.mp4"
        with av.open(str(source)) as given, av.open(str(trimmed), "w") as out:
            stream = out.add_stream_from_template(given.streams.video[0])
            shift = 10 * given.streams.video[0].time_base.denominator // 25
            for packet in given.demux(video=0):
                if packet.dts is None:
                    continue
                packet.pts, packet.dts = packet.pts - shift, packet.dts - shift
                packet.stream = stream
                out.mux(packet)
        truth = linear_decode(trimmed)
        info, index = open_clip(trimmed)
        self.assertEqual(index.pts.tolist(), [pts for pts, _ in truth])
        with FrameReader(info, index) as reader:
            self.assertTrue(np.array_equal(reader.read(20).grey(), truth[20][1]))

    def test_a_clip_that_an_edit_list_shortens_is_not_damaged(self):
        whole = make_clip(self.folder / "whole.mp4", 100, options={"g": 12, "bf": 0}).read_bytes()
        at = whole.find(b"elst") + 12
        length, begin, speed = struct.unpack(">IiI", whole[at : at + 12])
        scale = probe(self.folder / "whole.mp4").time_base.denominator
        for name, edit in (("head.mp4", (length * 6 // 10, begin)), ("middle.mp4", (length // 2, begin + scale))):
            (self.folder / name).write_bytes(whole[:at] + struct.pack(">IiI", *edit, speed) + whole[at + 12 :])
            truth = linear_decode(self.folder / name)
            info, index = open_clip(self.folder / name)
            self.assertEqual((index.damage, index.pts.tolist()), ("", [pts for pts, _ in truth]))
            self.assertTrue(45 <= len(index) <= 61, len(index))

    def test_index_is_kept_and_made_anew_for_another_file(self):
        path = make_clip(self.folder / "a.mp4", 20)
        first = load_index(probe(path))
        make_clip(path, 31)
        self.assertEqual((len(first), len(load_index(probe(path)))), (20, 31))
        self.assertEqual(len(list((self.folder / "cache" / "index").glob("*.npz"))), 2)

    def test_times_and_frames_are_inverse(self):
        info, index = open_clip(self.clip("variable rate", **KINDS["variable rate"]))
        self.assertTrue(index.is_variable)
        for n in range(len(index)):
            self.assertEqual(index.frame_at(index.time_s(n)), n)

    def test_truncated_clip_opens_as_far_as_it_is_good(self):
        path = make_clip(self.folder / "cut.mp4", 80, size=(320, 240), options={"g": 10, "movflags": "+faststart"})
        with (
            av.open(str(path)) as given,
            av.open(str(self.folder / "fast.mp4"), "w", options={"movflags": "+faststart"}) as out,
        ):
            stream = out.add_stream_from_template(given.streams.video[0])
            for packet in given.demux(video=0):
                if packet.dts is not None:
                    packet.stream = stream
                    out.mux(packet)
        data = (self.folder / "fast.mp4").read_bytes()
        broken = self.folder / "broken.mp4"
        broken.write_bytes(data[: int(len(data) * 0.6)])
        info, index = open_clip(broken)
        self.assertIn("damaged", index.damage)
        index = verify(info, index)
        self.assertTrue(0 < len(index) < 80)
        self.assertSentence(index.damage, "broken.mp4", "damaged at 00:00:0")
        with FrameReader(info, index) as reader:
            self.assertEqual([read_number(f.grey()) for f in reader.frames()], list(range(len(index))))

    def test_what_is_no_film_is_refused_in_a_sentence(self):
        (self.folder / "empty.mp4").write_bytes(b"")
        (self.folder / "noise.mp4").write_bytes(np.random.default_rng(1).bytes(5000))
        (self.folder / "notes.txt").write_text("The porter came at dawn.\n" * 50)
        with av.open(str(self.folder / "sound.m4a"), "w") as out:
            stream = out.add_stream("aac", rate=48000, layout="stereo")
            block = av.AudioFrame.from_ndarray(np.zeros((2, 1024), np.float32), format="fltp", layout="stereo")
            block.sample_rate = 48000
            out.mux(stream.encode(block))
            out.mux(stream.encode(None))
        for name, words in (
            ("missing.mp4", "no file"),
            ("empty.mp4", "is empty"),
            ("noise.mp4", "noise.mp4"),
            ("notes.txt", "notes.txt"),
            ("sound.m4a", "no picture in it"),
            (".", "is a folder"),
        ):
            with self.subTest(name), self.assertRaises(CannotOpenMedia) as caught:
                open_clip(self.folder / name)
            self.assertSentence(str(caught.exception), words)

    def test_lists_of_files_open_nothing(self):
        make_clip(self.folder / "real.mp4", 5)
        for name, text in (
            ("a.mp4", "ffconcat version 1.0\nfile real.mp4\n"),
            ("b.mov", "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\nreal.mp4\n#EXT-X-ENDLIST\n"),
            (
                "c.mkv",
                (
                    "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP"
                    " 96\na=rtpmap:96 H264/90000\n"
                ),
            ),
            ("d.mp4", "<?xml version='1.0'?><MPD><Period/></MPD>"),
        ):
            (self.folder / name).write_text(text)
            with self.subTest(name), self.assertRaises(CannotOpenMedia) as caught:
                open_clip(self.folder / name)
            self.assertSentence(str(caught.exception), name, "list of other files")
        os.mkfifo(self.folder / "pipe.mp4")
        with self.assertRaises(CannotOpenMedia) as caught:
            open_clip(self.folder / "pipe.mp4")
        self.assertSentence(str(caught.exception), "pipe")

    def test_facts(self):
        path = make_clip(
            self.folder / "facts.mov",
            25,
            rotation=270,
            sound=True,
            timecode="10:00:00:00",
            aspect=Fraction(4, 3),
            tags={"color_primaries": 1, "color_trc": 1, "colorspace": 1},
        )
        info = probe(path)
        self.assertEqual((info.width, info.height, info.rotation, info.upright_size), (160, 96, 270, (96, 160)))
        self.assertEqual((info.timecode, info.sample_aspect, info.colorspace), ("10:00:00:00", Fraction(4, 3), 1))
        self.assertEqual([s.codec for s in info.sound], ["aac"])
        self.assertEqual(info.upright_aspect, Fraction(3, 4))

    def test_fingerprint_tells_contents_not_names(self):
        a = make_clip(self.folder / "a.mp4", 10)
        (self.folder / "b.mp4").write_bytes(a.read_bytes())
        c = make_clip(self.folder / "c.mp4", 11)
        self.assertEqual(fingerprint(a), fingerprint(self.folder / "b.mp4"))
        self.assertNotEqual(fingerprint(a), fingerprint(c))
        self.assertEqual(len(build_index(probe(c))), 11)
