"""Made skiagraph/assets/demo/voice.speech.flac, and put it into voice.mp4: what is said in the demo, spoken by a
machine. Kept to show where the file comes from.

    apt-get install espeak-ng;  python tools/demo_speech.py skiagraph/assets/demo

Needs espeak-ng 1.51. Nobody's voice was recorded.
"""

import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from scipy.signal import resample_poly

RATE = 24000
# When, by which voice of espeak-ng, pitch, words a minute, and what.
LINES = (
    (0.30, "en-gb-x-rp+f5", 62, 165, "Who counts the hours?"),
    (1.95, "en-gb-scotland+m3", 38, 165, "Nobody. We stand here from four, and that is never paid."),
    (6.35, "en-gb-scotland+m3", 38, 165, "It begins with the boats."),
)
SECONDS = 9.0


def spoken() -> np.ndarray:
    """float (n,) at RATE."""
    track = np.zeros(round(SECONDS * RATE))
    for begins, voice, pitch, speed, text in LINES:
        wave = subprocess.run(
            ["espeak-ng", "-v", voice, "-p", str(pitch), "-s", str(speed), "--stdout", text],
            capture_output=True,
            check=True,
        ).stdout
        said = resample_poly(np.frombuffer(wave[44:], "<i2").astype(float) / 32768, RATE, 22050)
        at = round(begins * RATE)
        track[at : at + len(said)] += said[: len(track) - at]
        print(f"{voice}: {begins:.2f} to {begins + len(said) / RATE:.2f} s")
    return track / np.abs(track).max() * 0.7


def write_flac(samples: np.ndarray, path: Path) -> None:
    with av.open(str(path), "w") as out:
        stream = out.add_stream("flac", rate=RATE, layout="mono", format="s16")
        frame = av.AudioFrame.from_ndarray(
            np.round(samples * 32767).astype(np.int16)[None], format="s16", layout="mono"
        )
        frame.sample_rate, frame.pts, frame.time_base = RATE, 0, Fraction(1, RATE)
        fitting = av.AudioResampler(format="s16", layout="mono", rate=RATE, frame_size=4096)
        for part in fitting.resample(frame) + fitting.resample(None):
            out.mux(stream.encode(part))
        out.mux(stream.encode(None))


def put_into(film: Path) -> None:
    """The film with the sound of the demo made anew; its picture is copied."""
    from skiagraph.demo.sound import SAMPLE_RATE, soundtrack

    sound, made = soundtrack("voice", SECONDS, 23), film.with_suffix(".new.mp4")
    with av.open(str(film)) as source, av.open(str(made), "w", options={"movflags": "+faststart"}) as out:
        picture = out.add_stream_from_template(source.streams.video[0])
        stream = out.add_stream("aac", rate=SAMPLE_RATE, layout="stereo")
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, 0, Fraction(1, SAMPLE_RATE)
        fitting = av.AudioResampler(format="fltp", layout="stereo", rate=SAMPLE_RATE, frame_size=1024)
        packets = [
            p for part in fitting.resample(frame) + fitting.resample(None) for p in stream.encode(part)
        ] + stream.encode(None)
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                at = packet.dts * packet.time_base
                while packets and packets[0].dts * packets[0].time_base <= at:
                    out.mux(packets.pop(0))
                packet.stream = picture
                out.mux(packet)
        for packet in packets:
            out.mux(packet)
    made.replace(film)


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    write_flac(spoken(), folder / "voice.speech.flac")
    put_into(folder / "voice.mp4")
