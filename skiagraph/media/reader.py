"""Reading frame n gives exactly frame n.

Decoding happens in a process of its own (media.confined, media.decoder); planes come through shared memory.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from skiagraph.errors import CannotOpenMedia, FrameNotDecoded
from skiagraph.media.clip import ClipInfo
from skiagraph.media.confined import PICTURES, Confined, Ended, Inside
from skiagraph.media.decoder import broken, decoder_of
from skiagraph.media.frame import Frame, bytes_of, planes_in
from skiagraph.media.index import FrameIndex, keep_index


class FrameReader:
    """Reads the frames of one clip by number. Not to be shared between threads. Closes with `close` or as a context.

    keep: how many decoded frames to remember, for stepping back. rough: pictures made from earlier and later ones keep
    the edges of their blocks, which is quicker; for looking at, not for handing on. wanted: bool (n,), the frames that
    will ever be asked for, if not all may be; of the others those are not decoded that no frame is made from.
    """

    def __init__(
        self,
        info: ClipInfo,
        index: FrameIndex,
        *,
        keep: int = 0,
        threads: int = 0,
        rough: bool = False,
        wanted: np.ndarray | None = None,
    ):
        self._info, self._index = info, index
        self._how = dict(keep=keep, threads=threads, rough=rough, wanted=wanted)
        self._left_out = None if wanted is None else index.non_reference & ~wanted
        self._confined: Confined | None = None

    def __enter__(self) -> FrameReader:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        if self._confined is not None:
            self._confined.close()
            self._confined = None

    def __len__(self) -> int:
        return len(self._index)

    def read(self, number: int) -> Frame:
        """Frame `number`.

        Raises IndexError outside the clip or for a frame left out, FrameNotDecoded where the file is damaged or its
        decoder crashes, and CannotOpenMedia where it cannot be read any more.
        """
        if not 0 <= number < len(self._index):
            raise IndexError(f"frame {number} of a clip of {len(self._index)}")
        if self._left_out is not None and self._left_out[number]:
            raise IndexError(f"frame {number} was not to be asked for")
        try:
            return self._patiently(number)
        except FrameNotDecoded as error:
            if error.frame and not self._index.offset:
                # Whoever opens the clip next knows from the start.
                keep_index(self._info, self._index.cut(error.frame, str(error)))
            raise

    def _patiently(self, number: int) -> Frame:
        try:
            return self._read(number)
        except Ended:
            self.close()
        # A decoder that stands elsewhere may get past it; and whoever ended it may have meant another.
        try:
            return self._read(number)
        except Ended as end:
            self.close()
            if end.by_file:
                raise broken(self._info, self._index, number, f"the decoder stops there: {end.why}") from None
            raise CannotOpenMedia(
                f"{self._info.path.name} could not be read on at frame {number}: the decoder stopped ({end.why}); try"
                " again.",
                path=self._info.path,
                time_s=self._index.time_s(number),
            ) from None

    def frames(self, first: int = 0, last: int | None = None) -> Iterator[Frame]:
        """Frames from first up to, not including, last."""
        for number in range(first, len(self._index) if last is None else last):
            yield self.read(number)

    def _read(self, number: int) -> Frame:
        if self._confined is None:
            self._confined = Confined(
                serve, self._info, self._index, self._how, name=self._info.path.name, shared=bytes_of(self._info)
            )
        facts = self._confined.ask(number)
        frame = Frame.of(facts, self._info)
        for mine, theirs in zip(frame.planes(), planes_in(self._confined.memory, facts)):
            mine[:] = theirs
        return frame


def serve(inside: Inside, info: ClipInfo, index: FrameIndex, how: dict) -> None:
    """What the process of a reader does: put each frame that is asked for into the shared memory."""
    inside.allow(bytes_of(info), PICTURES + how["keep"])
    with decoder_of(info, index, beat=inside.beat, **how) as decoder:
        for number in inside.requests():
            try:
                frame = decoder.read(number)
            except (FrameNotDecoded, CannotOpenMedia) as error:
                inside.fail(error)
                continue
            facts = frame.facts
            for shared, plane in zip(planes_in(inside.memory, facts), frame.planes()):
                shared[:] = plane
            inside.answer(facts)
