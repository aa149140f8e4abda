"""A matrix of odd footage: each kind is opened, covered and exported in every format, and comes out right, or is
refused in one sentence."""

from fractions import Fraction

import av
import numpy as np
from av.stream import Disposition

from skiagraph.errors import SkiagraphError
from skiagraph.handover.export import write_clip
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip, verify
from skiagraph.media.reader import FrameReader
from skiagraph.project import edits
from skiagraph.project.model import Cover, Style
from tests.media.test_pictures import write_pictures
from tests.support import TemporaryFolder, damage_frame, head_path, make_clip, project_on

FRAMES = 8
LOSSY = {"options": {"crf": 10, "g": 4}}


def soft(n, width, height):
    """Colours that change slowly over the picture, so that codecs keep them; another one in each frame."""
    x, y = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    return np.stack([60 + 150 * x, 200 - 120 * y, 90 + 60 * x * y + n * 4], axis=2).astype(np.uint8)


def coarse(pictures):
    """Means of squares of eight px: noise of codecs, and the dots of a palette, count for little, and a wrong colour
    for all it is."""
    count, height, width = (n - n % 8 if axis else n for axis, n in enumerate(pictures.shape[:3]))
    return pictures[:, :height, :width].reshape(count, height // 8, 8, width // 8, 8, 3).mean(axis=(2, 4))


def film(name, **how):
    return lambda folder: make_clip(folder / name, FRAMES, **{"draw": soft, **how})


def with_pcm(name, codec="pcm_s16le"):
    """A film with sound that MP4 cannot hold."""

    def made(folder):
        silent = make_clip(
            folder / ("silent-" + name), FRAMES, draw=soft, encoder="mpeg2video", options={"qscale": 2, "g": 4}
        )
        with av.open(str(silent)) as given, av.open(str(folder / name), "w") as out:
            picture = out.add_stream_from_template(given.streams.video[0])
            sound = out.add_stream(codec, rate=48000, layout="stereo")
            for packet in given.demux(video=0):
                if packet.dts is not None:
                    packet.stream = picture
                    out.mux(packet)
            wave = (np.sin(np.arange(48000 * FRAMES // 25) * 0.05) * 9000).astype(np.int16)
            block = av.AudioFrame.from_ndarray(np.repeat(wave, 2)[None], format="s16", layout="stereo")
            block.sample_rate, block.pts, block.time_base = 48000, 0, Fraction(1, 48000)
            for packet in (*sound.encode(block), *sound.encode(None)):
                out.mux(packet)
        return folder / name

    return made


def shortened(folder):
    """Trimmed by an edit list."""
    whole, trimmed = (
        make_clip(folder / "whole.mp4", FRAMES + 10, draw=soft, options={"g": 30, "bf": 2}),
        folder / "trimmed.mp4",
    )
    with av.open(str(whole)) as given, av.open(str(trimmed), "w") as out:
        stream = out.add_stream_from_template(given.streams.video[0])
        shift = 10 * given.streams.video[0].time_base.denominator // 25
        for packet in given.demux(video=0):
            if packet.dts is not None:
                packet.pts, packet.dts, packet.stream = packet.pts - shift, packet.dts - shift, stream
                out.mux(packet)
    return trimmed


def growing(folder):
    """A film whose picture becomes larger on the way, as recordings of calls do."""
    small = make_clip(folder / "small.ts", FRAMES, draw=soft, encoder="mpeg2video", options={"g": 4})
    large = make_clip(
        folder / "large.ts",
        FRAMES,
        draw=soft,
        encoder="mpeg2video",
        size=(320, 192),
        options={"g": 4},
        pts=lambda n: n + FRAMES,
    )
    (folder / "both.ts").write_bytes(small.read_bytes() + large.read_bytes())
    return folder / "both.ts"


def first_frame_damaged(folder):
    path = make_clip(folder / "first.mov", FRAMES, draw=soft, encoder="png", pixel_format="rgb24")
    damage_frame(path, 0)
    return path


def song_with_a_cover(folder):
    with av.open(str(folder / "song.mp4"), "w") as out:
        picture, sound = out.add_stream("mjpeg", rate=25), out.add_stream("aac", rate=48000, layout="stereo")
        picture.width, picture.height, picture.pix_fmt = 160, 96, "yuvj420p"
        picture.disposition = Disposition.attached_pic
        frame = av.VideoFrame.from_ndarray(soft(0, 160, 96), format="rgb24")
        frame.pts, frame.time_base = 0, Fraction(1, 25)
        block = av.AudioFrame.from_ndarray(np.zeros((2, 1024), np.float32), format="fltp", layout="stereo")
        block.sample_rate, block.pts = 48000, 0
        for packet in (*picture.encode(frame), *picture.encode(None), *sound.encode(block), *sound.encode(None)):
            out.mux(packet)
    return folder / "song.mp4"


def text(name, words, beside=True):
    def made(folder):
        if beside:
            make_clip(folder / "real.mp4", FRAMES)
        (folder / name).write_bytes(words.encode() if isinstance(words, str) else words)
        return folder / name

    return made


HLS = "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nreal.mp4\n#EXT-X-ENDLIST\n"
DASH = (
    '<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011"><Period><AdaptationSet><Representation>'
    "<BaseURL>real.mp4</BaseURL></Representation></AdaptationSet></Period></MPD>"
)
SDP = "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\na=rtpmap:96 H264/90000\n"
SQUARE = {"size": (161, 97)}
RIGHT = {
    "numbered pictures": lambda folder: write_pictures(folder / "shots", FRAMES, draw=soft),
    "pcm in avi": with_pcm("a.avi"),
    "pcm in mkv": with_pcm("a.mkv"),
    "pcm in mxf": with_pcm("a.mxf"),
    "big-endian pcm in mov": with_pcm("a.mov", "pcm_s16be"),
    "png in mov": film("a.mov", encoder="png", pixel_format="rgb24"),
    "png with alpha": film("a.mov", encoder="png", pixel_format="rgba"),
    "gif": film("a.gif", encoder="gif", pixel_format="rgb8"),
    "apng": film("a.apng", encoder="apng", pixel_format="rgb24"),
    "ffv1 in rgb": film("a.mkv", encoder="ffv1", pixel_format="gbrp10le"),
    "grey": film("a.mkv", encoder="ffv1", pixel_format="gray"),
    "16 bit grey": film("a.mkv", encoder="ffv1", pixel_format="gray16le"),
    "12 bit": film("a.mkv", encoder="ffv1", pixel_format="yuv422p12le"),
    "odd size": film("a.mkv", encoder="ffv1", **SQUARE),
    "odd size in vp9": film("a.webm", encoder="libvpx-vp9", options={"crf": 4, "deadline": "realtime"}, **SQUARE),
    "odd size in rgb": film("a.mov", encoder="png", pixel_format="rgb24", **SQUARE),
    "full range": film("a.avi", encoder="mjpeg", pixel_format="yuvj422p", options={"qscale": 2}),
    "full range, tagged": film("a.mp4", tags={"color_range": 2, "colorspace": 1}, **LOSSY),
    "top field first": film("a.mkv", encoder="ffv1", fields="top"),
    "bottom field first": film("a.mkv", encoder="ffv1", fields="bottom"),
    "edit list": shortened,
    "variable rate": film("a.mp4", time_base=Fraction(1, 1000), pts=lambda n: n * 40 + (n % 3) * 10, **LOSSY),
    "late start": film("a.mkv", time_base=Fraction(1, 1000), pts=lambda n: 5000 + n * 40, **LOSSY),
    "turned by 90": film("a.mp4", rotation=90, **LOSSY),
    "turned by 180": film("a.mov", rotation=180, **LOSSY),
    "turned by 270, odd": film("a.mov", rotation=270, encoder="png", pixel_format="rgb24", **SQUARE),
    "wide pixels": film("a.mp4", aspect=Fraction(16, 11), **LOSSY),
    "drop frame": film("a.mov", rate=Fraction(30000, 1001), timecode="01:00:00;02", **LOSSY),
    "av1": film("a.mp4", encoder="libsvtav1", options={"crf": 10, "preset": 12}),
    "mpeg2 in ts": film("a.ts", encoder="mpeg2video", options={"qscale": 2}),
    "name in another script": film("Пример записи 名前.mp4", **LOSSY),
    "name with quotes": film('it\'s 100% "x".mp4', **LOSSY),
    "picture grows": growing,
}
REFUSED = {
    "list for joining": text("list.mp4", "ffconcat version 1.0\nfile real.mp4\n"),
    "list, its true name": text("list.ffconcat", "ffconcat version 1.0\nfile real.mp4\n"),
    "hls": text("a.m3u8", HLS),
    "hls called mp4": text("a.mp4", HLS),
    "dash": text("a.mpd", DASH),
    "sdp": text("a.sdp", SDP),
    "sdp called mov": text("a.mov", SDP),
    "pattern": lambda folder: write_pictures(folder, FRAMES) / "quay.%04d.png",
    "single picture": lambda folder: write_pictures(folder, 1) / "quay.0001.png",
    "text": text("a.mp4", "Dear editor, the clip is on the other disk."),
    "subtitles": text("a.srt", "1\n00:00:00,000 --> 00:00:02,000\nHello\n"),
    "nothing": text("a.mp4", b""),
    "zeros": text("a.mp4", bytes(10_000)),
    "beginning of a film": text("a.mp4", b"\0\0\0\x20ftypisom\0\0\2\0isomiso2avc1mp41"),
    "folder": lambda folder: folder,
    "song with a cover": song_with_a_cover,
    "first picture damaged": first_frame_damaged,
    "not there": lambda folder: folder / "nowhere.mp4",
}
# Formats that are tried on all of it: a codec each, but those that hold no pictures as small as these.
TRIED = ("h264-mp4", "h265-mp4", "av1-mp4", "prores-mov", "prores-4444-mov", "ffv1-mkv")
# What a format refuses, and says before the first frame.
NOT_IN = {
    (kind, key)
    for kind in ("odd size", "odd size in vp9", "odd size in rgb", "turned by 270, odd")
    for key in ("prores-mov", "av1-mp4")
}


class OddFootageTest(TemporaryFolder):
    def made(self, kind, make):
        folder = self.folder / kind
        folder.mkdir()
        return make(folder)

    def pictures(self, path):
        info, index = open_clip(path)
        index = verify(info, index)
        with FrameReader(info, index) as reader:
            return info, index, [frame.rgb().astype(int) for frame in reader.frames()]

    def test_what_cannot_be_used_is_refused_in_a_sentence(self):
        for kind, make in REFUSED.items():
            with self.subTest(kind), self.assertRaises(SkiagraphError) as caught:
                open_clip(self.made(kind, make))
            self.assertSentence(str(caught.exception))
            self.assertNotIn("FFmpeg", str(caught.exception))

    def test_what_can_be_used_comes_out_right_in_every_format(self):
        for kind, make in RIGHT.items():
            path = self.made(kind, make)
            info, index, before = self.pictures(path)
            # A decoder may drop what it holds back where the picture grows.
            count = len(before)
            self.assertTrue(count == FRAMES or kind == "picture grows" and count >= FRAMES - 2, (kind, count))
            self.assertEqual(bool(index.damage), kind == "picture grows", (kind, index.damage))
            width, height = info.upright_size
            project = project_on(
                path, head_path(0, count, cx=width / 2, cy=height / 2, width=width / 5, height=height / 4)
            )
            project = edits.set_project_style(project, Style.of(Cover.kinds["solid"]((0, 0, 0)), 0, 0))
            for key in TRIED:
                export = FORMATS[key]
                with self.subTest(kind, format=key):
                    out = self.folder / f"{kind}-{key}{export.suffix}"
                    if (kind, key) in NOT_IN:
                        with self.assertRaises(SkiagraphError) as caught:
                            write_clip(project, "c1", [(CoveredFilm(key), out)])
                        self.assertSentence(str(caught.exception))
                        continue
                    write_clip(project, "c1", [(CoveredFilm(key), out)])
                    made, times, after = self.pictures(out)
                    self.assertEqual(
                        (len(after), made.upright_size, made.rotation, len(made.sound)),
                        (count, info.upright_size, info.rotation, len(info.sound)),
                    )
                    np.testing.assert_allclose(
                        [times.time_s(n) for n in range(count)], [index.time_s(n) for n in range(count)], atol=2e-3
                    )
                    self.assertEqual(made.fields, info.fields if export.codec.interlaced else "")
                    away = np.abs(
                        coarse(np.array(after)[:, : height // 4]) - coarse(np.array(before)[:, : height // 4])
                    )
                    # AV1 smooths what is dithered in pictures as small as these (a GIF: 9.3).
                    self.assertLess(
                        away.max(),
                        3 if export.lossless else 12 if key.startswith("av1") else 9,
                        "colours are what they were",
                    )
                    self.assertLess(np.array(after)[:, height // 2, width // 2].max(), 40, "the cover is there")
