"""Voices: who still knows a disguised voice, how well words are understood, how quick it is, whether it stays in sync,
and how well speakers of a conversation are told apart.

    apt-get install espeak-ng;  python -m benchmarks.voice [--speakers 24] [--sets 3] [--quick]

Speech is spoken by espeak-ng (1.51), by as many speakers as asked for, of which no two have the same voice, pitch and
tempo; nobody was recorded. Attackers follow the VoicePrivacy challenge (Tomashenko et al., 2022): they know each
speaker by the mean of half of the utterances, and judge the other half one by one. *Ignorant*: plain against disguised.
*Shifting*: the same, the likest of thirteen shifts of pitch and formants counting. *Informed*: who disguises what they
know a speaker by in the same way, with lots of their own. Equal error rate: 50 % is luck.

Words: a recogniser of single words that is made here (mel cepstra over time, brought to one mean and deviation, linear
discriminants), taught with plain speech of three quarters of the speakers, each also with formants moved by up to five
semitones both ways, as ears know throats of all sizes, and asked about the others. It is no ear: it tells whether what
distinguishes words is still there.
"""

from __future__ import annotations

import argparse
import subprocess
import time

import numpy as np
from scipy.fft import dct
from scipy.signal import resample_poly

from skiagraph.media.samples import as_kind
from skiagraph.voice.attacks import ATTACK
from skiagraph.voice.disguise import Disguise, Heard
from skiagraph.voice.drawing import lots
from skiagraph.voice.laying import Laying, Stretch
from skiagraph.voice.speakers import RATE, SpeakerEncoder, groups, mel_power
from skiagraph.voice.speech import Speech, shifted

SENTENCES = (
    "The boats came in before five this morning and the ice was already gone.",
    "They told us that the pay would follow on Friday, and it never did.",
    "Nobody on the quay will sign that paper, whatever the clerk says.",
    "I carried crates for eleven hours and then they sent me home.",
    "If you ask about the scales you will not be asked back tomorrow.",
    "My brother keeps the tally in a small green book at home.",
    "The price is called once and the rest of us find out later.",
    "We sleep in the net loft because the rooms are let to others.",
    "There were seven of us on the list and four were paid.",
    "When the fog lifts you can see who is waiting by the gate.",
)
WORDS = (
    "one two three four five six seven eight nine ten red blue green black white north south east west left right open"
    " close boat fish ice"
).split()
VARIANTS = (
    "m1 m2 m3 m4 m5 m7 m8 f1 f2 f3 f4 f5 klatt2 croak Andy david grandma steph Denis linda anika Hugo Storm travis"
).split()
ACCENTS = ("en-gb", "en-us", "en-gb-scotland", "en-gb-x-rp")


class Speaker:
    """A voice, a pitch and a tempo, drawn once."""

    def __init__(self, number: int, count: int):
        self.voice = f"{ACCENTS[number % len(ACCENTS)]}+{VARIANTS[number % len(VARIANTS)]}"
        self._rng = np.random.default_rng(number)
        self._pitch, self._speed = np.linspace(10, 90, count)[number * 7 % count], self._rng.integers(135, 185)

    def says(self, text: str) -> np.ndarray:
        """float (n,) at RATE; never twice in quite the same pitch and tempo."""
        pitch, speed = (
            int(np.clip(self._pitch + self._rng.integers(-4, 5), 0, 99)),
            int(self._speed + self._rng.integers(-6, 7)),
        )
        wave = subprocess.run(
            ["espeak-ng", "-v", self.voice, "-p", str(pitch), "-s", str(speed), "--stdout", text],
            capture_output=True,
            check=True,
        ).stdout
        return resample_poly(np.frombuffer(wave[44:], "<i2").astype(float) / 32768, 320, 441)


def noisy(speech: np.ndarray, db: float | None, rng: np.random.Generator) -> np.ndarray:
    """With pink noise so many dB under the speech."""
    if db is None:
        return speech
    spectrum = np.fft.rfft(rng.standard_normal(len(speech)))
    noise = np.fft.irfft(spectrum / np.sqrt(np.maximum(np.arange(len(spectrum)), 1)), len(speech))
    return speech + noise / np.std(noise) * np.std(speech) * 10 ** (-db / 20)


def equal_error(known: np.ndarray, trials: list[np.ndarray]) -> float:
    """Equal error rate. known: (speakers, 256); trials: of each speaker (n, versions, 256), of whose versions the
    likest counts."""
    same, other = [], []
    for n, theirs in enumerate(trials):
        for one in theirs:
            like = (known @ one.T).max(axis=1)
            same.append(like[n])
            other += list(np.delete(like, n))
    same, other = np.sort(same), np.sort(other)
    every = np.sort(np.concatenate([same, other]))
    missed, taken = np.searchsorted(same, every) / len(same), 1 - np.searchsorted(other, every) / len(other)
    at = int(np.abs(missed - taken).argmin())
    return float(missed[at] + taken[at]) / 2


def known_by(described: list[np.ndarray]) -> np.ndarray:
    means = np.stack([one.mean(axis=0) for one in described])
    return means / np.linalg.norm(means, axis=1, keepdims=True)


def disguised(speech: np.ndarray, kind: Disguise, *about, lot: int = 0) -> np.ndarray:
    return kind.instead(Heard(speech[:, None], RATE, lots(b"a benchmark%d" % lot, *about)))[:, 0]


def attacks(
    speech: list[list[np.ndarray]], kinds: list[Disguise], encoder: SpeakerEncoder, with_shifts: bool, sets: int
) -> None:
    """sets: of lots, each of which draws every disguise anew; given is the mean, and the least and most."""
    half = len(speech[0]) // 2
    plain = [np.stack([encoder.describe(one) for one in theirs]) for theirs in speech]
    known = known_by([theirs[:half] for theirs in plain])
    print(f"| as recorded | {100 * equal_error(known, [t[half:, None] for t in plain]):.1f} % | | |")
    for kind in kinds:
        ignorant, shifting, informed = [], [], []
        for lot in range(sets):
            made = [
                [disguised(one, kind, n, k, lot=lot) for k, one in enumerate(theirs)] for n, theirs in enumerate(speech)
            ]
            described = [np.stack([encoder.describe(one) for one in theirs]) for theirs in made]
            ignorant.append(equal_error(known, [t[half:, None] for t in described]))
            informed.append(equal_error(known_by([t[:half] for t in described]), [t[half:, None] for t in described]))
            # Thirteen times the work: of the first set alone.
            if with_shifts and not lot:
                back = [
                    np.stack(
                        [
                            np.stack(
                                [d, *(encoder.describe(shifted(Speech(one, RATE), s, s)) for s in ATTACK.semitones)]
                            )
                            for one, d in zip(theirs[half:], t[half:])
                        ]
                    )
                    for theirs, t in zip(made, described)
                ]
                shifting.append(equal_error(known, back))
        print(f"| {kind.word.lower()} | {_over(ignorant)} | {_over(shifting)} | {_over(informed)} |", flush=True)


def _over(shares: list[float]) -> str:
    """Mean in percent, and the range where there are several."""
    if not shares:
        return ""
    return f"{100 * np.mean(shares):.1f} %" + (
        f" ({100 * min(shares):.1f} to {100 * max(shares):.1f})" if len(shares) > 1 else ""
    )


POINTS, CEPSTRA = 16, 13


def cepstra(speech: np.ndarray) -> np.ndarray:
    """A word as numbers: mel cepstra at even distances over its length."""
    log = np.log(mel_power(speech / max(float(np.std(speech)), 1e-9)) + 1e-4)
    loud = np.flatnonzero(log.mean(axis=1) > log.mean(axis=1).max() - 6)
    found = dct(log[loud[0] : loud[-1] + 1], norm="ortho", axis=1)[:, 1 : CEPSTRA + 1]
    found = (found - found.mean(axis=0)) / np.maximum(found.std(axis=0), 1e-6)
    at = np.linspace(0, len(found) - 1, POINTS)
    return np.stack([np.interp(at, np.arange(len(found)), column) for column in found.T], axis=1).ravel()


def _in_one_go(words: list[np.ndarray], kind: Disguise, speaker: int, lot: int) -> list[np.ndarray]:
    """Words said one after another, disguised together, and cut apart where they were: nothing moves."""
    pause = np.zeros(RATE // 4)
    talk = np.concatenate([part for word in words for part in (word, pause)])
    made, at, found = disguised(talk, kind, speaker, "words", lot=lot), 0, []
    for word in words:
        found.append(made[at : at + len(word)])
        at += len(word) + len(pause)
    return found


def word_errors(words: list[list[np.ndarray]], kinds: list[Disguise], sets: int) -> None:
    """words: of each speaker, one of each of WORDS; sets: of lots."""
    recorded = [np.stack([cepstra(w) for w in theirs]) for theirs in words]
    moved = [
        np.concatenate(
            [np.stack([cepstra(shifted(Speech(w, RATE), 0, by)) for w in theirs]) for by in (-5, -2.5, 2.5, 5)]
        )
        for theirs in words
    ]
    taught = [
        _Words(np.concatenate([part[n] for n in range(len(words)) if n % 4 != fold for part in (recorded, moved)]))
        for fold in range(4)
    ]

    def wrong(theirs: list[np.ndarray]) -> float:
        return float(np.mean([taught[n % 4].told(one) != np.arange(len(WORDS)) for n, one in enumerate(theirs)]))

    print(f"| as recorded | {_over([wrong(recorded)])} |", flush=True)
    for kind in kinds:
        every = [
            wrong([np.stack([cepstra(w) for w in _in_one_go(theirs, kind, n, lot)]) for n, theirs in enumerate(words)])
            for lot in range(sets)
        ]
        print(f"| {kind.word.lower()} | {_over(every)} |", flush=True)


class _Words:
    """Linear discriminants of words. taught: (n times WORDS, numbers of a word), in the order of WORDS again and
    again."""

    def __init__(self, taught: np.ndarray):
        labels = np.tile(np.arange(len(WORDS)), len(taught) // len(WORDS))
        self._means = np.stack([taught[labels == k].mean(axis=0) for k in range(len(WORDS))])
        within = np.cov((taught - self._means[labels]).T)
        self._weights = np.linalg.solve(
            within + 0.3 * np.trace(within) / len(within) * np.eye(len(within)), self._means.T
        )

    def told(self, said: np.ndarray) -> np.ndarray:
        """Which of WORDS each is."""
        return (said @ self._weights - 0.5 * (self._means.T * self._weights).sum(axis=0)).argmax(axis=1)


def speed_and_sync(speech: list[list[np.ndarray]]) -> None:
    talk = np.concatenate([one for theirs in speech[:4] for one in theirs])[: 60 * RATE]
    for rate, channels in ((48000, 1), (48000, 2), (16000, 1)):
        samples = as_kind(
            np.repeat(resample_poly(talk, rate // RATE, 1)[:, None], channels, axis=1) * 0.5, np.dtype(np.int16)
        )
        for tag in ("altered", "whisper", "deeper"):
            laying = Laying((Stretch(rate, len(samples) - rate, Disguise.kinds[tag]()),), rate, b"s" * 32)
            begun = time.process_time()
            made = np.concatenate(
                [block for _, block in laying.over((n, samples[n : n + 1024]) for n in range(0, len(samples), 1024))]
            )
            took = time.process_time() - begun
            fade = laying.fade
            outside = np.array_equal(made[: rate - fade], samples[: rate - fade]) and np.array_equal(
                made[-(rate - fade) :], samples[-(rate - fade) :]
            )
            print(
                f"| {tag}, {rate} Hz, {channels} channel{'s' if channels > 1 else ''} |"
                f" {len(samples) / rate / took:.0f} | {len(made) - len(samples)} |"
                f" {envelope_lag(samples[:, 0], made[:, 0], rate)} | {'yes' if outside else 'NO'} |",
                flush=True,
            )


def envelope_lag(one: np.ndarray, other: np.ndarray, rate: int) -> str:
    """By how much loudness over time lies later, ms."""
    size = rate // 1000
    a, b = (
        np.sqrt((x[: len(x) // size * size].astype(float).reshape(-1, size) ** 2).mean(axis=1)) for x in (one, other)
    )
    a, b = (np.convolve(v, np.ones(10) / 10, mode="same") for v in (a, b))
    a, b = a - a.mean(), b - b.mean()
    found = [float((a[100:-100] * b[100 + lag : len(b) - 100 + lag]).sum()) for lag in range(-100, 100)]
    return f"{int(np.argmax(found)) - 100} ms"


def conversations(speech: list[list[np.ndarray]], encoder: SpeakerEncoder, count: int = 20) -> None:
    rng, right, found = np.random.default_rng(2), [], []
    for n in range(count):
        pair = rng.choice(len(speech), 2, replace=False)
        parts = [
            np.concatenate([speech[k][j], np.zeros(int((0.05, 0.4)[n % 2] * RATE))]) for j in range(4) for k in pair
        ]
        talk = np.concatenate(parts)
        talk = talk + 0.003 * rng.standard_normal(len(talk))
        turns = encoder.turns(talk)
        labels = groups([encoder.describe(talk[a:b]) for a, b in turns], [(b - a) / RATE for a, b in turns])
        who = np.concatenate([np.full(b // 160 - a // 160, label) for (a, b), label in zip(turns, labels)])
        truth = np.concatenate([np.full(len(part) // 160, k % 2) for k, part in enumerate(parts)])
        size = min(len(who), len(truth))
        right.append(
            sum(max(int(((who[:size] == k) & (truth[:size] == s)).sum()) for s in (0, 1)) for k in set(who.tolist()))
            / size
        )
        found.append(max(labels) + 1)
    print(
        f"{count} conversations of two, eight turns each: {100 * np.mean(right):.1f} % of the time in a group of the"
        f" right speaker (least {100 * min(right):.0f} %), {np.mean(found):.1f} groups in the mean,"
        f" {sum(f == 1 for f in found)} times one only"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("--speakers", type=int, default=24)
    parser.add_argument("--quick", action="store_true", help="without shifts and noise")
    parser.add_argument("--sets", type=int, default=3, help="sets of lots")
    parser.add_argument("--only", choices=("attacks", "words", "speed", "conversations"))
    parser.add_argument("--kinds", default="altered,whisper,flat,deeper,higher")
    options = parser.parse_args()
    speakers = [Speaker(n, options.speakers) for n in range(options.speakers)]
    speech = [[speaker.says(text) for text in SENTENCES] for speaker in speakers]
    encoder, kinds = SpeakerEncoder(), [Disguise.kinds[tag]() for tag in options.kinds.split(",")]
    if options.only in (None, "attacks"):
        for db in (None,) if options.quick else (None, 20.0, 10.0):
            rng = np.random.default_rng(7)
            print(
                f"\n### Equal error rate, {len(speakers)} speakers,"
                f" {'no noise' if db is None else f'noise {db:.0f} dB under the speech'}\n\n| | ignorant | shifting |"
                " informed |\n|---|---|---|---|"
            )
            attacks(
                [[noisy(one, db, rng) for one in theirs] for theirs in speech],
                kinds if db is None else kinds[:1],
                encoder,
                not options.quick and db is None,
                options.sets,
            )
    if options.only in (None, "words"):
        print(f"\n### Words wrong, of {len(WORDS)}\n\n| | |\n|---|---|")
        word_errors([[speaker.says(word) for word in WORDS] for speaker in speakers], kinds, options.sets)
    if options.only in (None, "speed"):
        print(
            "\n### Speed and sync\n\n| | times real time, one core | samples more or fewer | lag of loudness | equal"
            " outside |\n|---|---|---|---|---|"
        )
        speed_and_sync(speech)
    if options.only in (None, "conversations"):
        print("\n### Conversations\n")
        conversations(speech, encoder)


if __name__ == "__main__":
    main()
