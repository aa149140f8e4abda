"""Made skiagraph/assets/voices/made-up.opus: speakers that the check of an exported file compares a disguised voice
with. Spoken by a machine; nobody was recorded. Kept to show where the file comes from.

    apt-get install espeak-ng;  python tools/made_up_voices.py skiagraph/assets/voices/made-up.opus

Needs espeak-ng 1.51. Each speaker says SECONDS_EACH of the same words, one after another, at 16 kHz.
"""

import subprocess
import sys
from fractions import Fraction

import av
import numpy as np
from scipy.signal import resample_poly

RATE, SECONDS_EACH = 16000, 5
TEXT = "The boats came in before five this morning and the ice was already gone. They told us to wait by the gate."
VOICES = (
    "en-gb+m1",
    "en-us+m2",
    "en-gb-scotland+m3",
    "en-gb-x-rp+m4",
    "en-us+m5",
    "en-gb+m7",
    "en-us+m8",
    "en-gb+f1",
    "en-us+f2",
    "en-gb-scotland+f3",
    "en-gb-x-rp+f4",
    "en-us+f5",
    "en-gb+klatt2",
    "en-us+croak",
    "en-gb-x-rp+Andy",
    "en-us+david",
    "en-gb+grandma",
    "en-us+steph",
    "en-gb-scotland+Denis",
    "en-gb+linda",
    "en-us+anika",
    "en-gb-x-rp+Hugo",
    "en-gb+Storm",
    "en-us+travis",
)


def spoken(voice: str, pitch: int, speed: int) -> np.ndarray:
    wave = subprocess.run(
        ["espeak-ng", "-v", voice, "-p", str(pitch), "-s", str(speed), "--stdout", TEXT],
        capture_output=True,
        check=True,
    ).stdout
    said = resample_poly(np.frombuffer(wave[44:], "<i2").astype(float) / 32768, 320, 441)
    said = np.pad(said, (0, max(0, SECONDS_EACH * RATE - len(said))))[: SECONDS_EACH * RATE]
    return said / np.abs(said).max() * 0.6


def main(target: str) -> None:
    every = np.concatenate(
        [
            spoken(voice, int(np.linspace(10, 90, len(VOICES))[n * 7 % len(VOICES)]), 140 + n * 11 % 45)
            for n, voice in enumerate(VOICES)
        ]
    )
    with av.open(target, "w") as out:
        stream = out.add_stream("libopus", rate=RATE, layout="mono")
        stream.codec_context.bit_rate = 24_000
        frame = av.AudioFrame.from_ndarray(every.astype(np.float32)[None], format="flt", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, 0, Fraction(1, RATE)
        stream.codec_context.open()
        fitting = av.AudioResampler(
            format=stream.codec_context.format.name,
            layout="mono",
            rate=RATE,
            frame_size=stream.codec_context.frame_size,
        )
        for part in fitting.resample(frame) + fitting.resample(None):
            out.mux(stream.encode(part))
        out.mux(stream.encode(None))


if __name__ == "__main__":
    main(sys.argv[1])
