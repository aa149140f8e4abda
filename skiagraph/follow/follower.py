"""Following whatever an outline encloses: a plate, a screen, a card, a face that no detector sees.

Each step is a guess and a check. Points inside are followed from the picture before (pyramidal Lucas-Kanade with a
forward-backward check: Kalal et al., Forward-Backward Error, ICPR 2010) and give a robust similarity; the look of the
start is then laid on the picture by Gauss-Newton steps over place, size and turning (Baker and Matthews, Lucas-Kanade
20 Years On, IJCV 2004) with weights that leave out what is hidden (Huber). Since every frame is compared with the
start, and only where that fails with a look of late, small errors do not add up. It stops when it does not know, and
says why.
"""

from __future__ import annotations

import cv2
import numpy as np

from skiagraph.follow.look import BEYOND, PLAIN, Look, Motion, pixels_of, tilted_pixels
from skiagraph.follow.step import FollowSettings, Hold, Step, Why
from skiagraph.shape.place import Perspective, Place, place_of, place_of_matrix
from skiagraph.shape.shape import Outline, Shape, nearest_turn
from skiagraph.values import replace

# Points followed from frame to frame.
POINTS = 60
# Gauss-Newton steps at most, and px under which they end.
STEPS, TILT_STEPS, ENOUGH = 14, 8, 0.02
# In whole frames it is looked for at this size, px of its longer side, and at so many times the size it had; so many
# places are looked at more closely.
SEEK_PX, SEEK_SIZES, SEEK_MOST = 28, (1.0, 0.88, 1.14), 4
# By itself, perspective is tried in each so many frames, where the look correlates by less than this and so much of it
# is seen, and taken where it leaves less than this share of what was not explained before.
TRY_EVERY, TRY_BELOW, TRY_SEEN, CLEARLY = 3, 0.985, 0.9, 0.8
# Something of which less than this share is in the picture has left it.
LEFT = 0.2
# All of something is seen when this share of it is in the picture.
WHOLE = 0.9
# Something that is not seen and would be in the picture with less than this share is on its way out of it.
LEAVING = 0.75
# What looks only as it did of late, and no longer as at the start, is so sure at most.
AS_OF_LATE = 0.75
# Size and turning, and of a plane shear and tilt, may change by so much in a frame.
GROWS, TURNS, SHEARS, TILTS = 0.12, 12.0, 0.12, 0.06
# What is behind something known by this share, and not seen, is waited for so many times as long.
HIDDEN_BEHIND, KNOWN_PATIENCE = 0.4, 4
# What lies this far beside something, in sizes of it, is held against it.
BESIDE = 0.4


class OutlineFollower:
    """grey: uint8 (rows, columns), the upright frame with the outline at `place`. motion: what may change. rate: frames
    a second.

    motion None: by the shape. ignored: bool (rows, columns) of the frame, what lies in front, or None. looked: a shape
    in the unit frame of the place to which what is looked at is limited; None for all of it.
    """

    def __init__(
        self,
        grey: np.ndarray,
        place: Place,
        shape: Shape,
        rate: float = 25.0,
        motion: Motion | None = None,
        settings: FollowSettings = FollowSettings(),
        ignored: np.ndarray | None = None,
        looked: Outline | None = None,
    ):
        self.place, self.shape, self.motion, self.settings = place, shape, motion, settings
        if motion in (None, Motion.AUTO):
            self.motion = Motion.for_shape(shape)
        self._tilts, self._asked = isinstance(place, Perspective), 0
        self._looked = looked
        self._ignored = ignored
        self._size = grey.shape[1], grey.shape[0]
        self._unseen, self._patience = 0, max(1, round(settings.patience_s * rate))
        self._speed = np.zeros(2)
        longer = max(place.width, place.height) * BEYOND
        # Small things are looked at enlarged, so that a step of a hundredth of their size is seen.
        self._scale = min(2.0, settings.patch / longer)
        self._start = Look.of(self._patch(grey, place), *self._masks(grey.shape, place, ignored))
        self._late = self._start
        self._before: np.ndarray = grey
        # Where a person placed it, and how much larger it was when it was seen surely.
        self._placed, self._grown = place, 1.0

    @property
    def is_plain(self) -> bool:
        """Whether there is too little in the outline to hold on to."""
        return self._start.structure < PLAIN

    @property
    def hold(self) -> Hold:
        """How much there is in the outline to hold on to."""
        return Hold(self._start.structure, self._like_around())

    def step(self, grey: np.ndarray, ignored: np.ndarray | None = None) -> Step | Why:
        """Go on to the next frame; where following stops, why.

        What it was not sure of before that was told as not known. ignored: what lies in front in this frame.
        """
        if self.is_plain:
            return Why.PLAIN
        self._ignored = ignored
        guess = self._guess(grey)
        # What was hidden comes back from behind something that may look like it.
        found = self._checked(grey, guess, *(self.settings.again if self._unseen else (0.0, 0.0)))
        if found is None:
            # Where the points are lost, it may still be near.
            found = self._checked(grey, self._searched(grey, guess), *self.settings.again)
        self._before = grey
        if found is None:
            self._unseen += 1
            self._speed *= 0.9
            expected = _moved(self.place, *self._speed)
            self.place = expected
            shown = self._shown(expected)
            # What is known to be in front explains why it is not seen.
            patience = self._patience * (1 if self._behind(expected) < HIDDEN_BEHIND else KNOWN_PATIENCE)
            if shown < LEFT or self._unseen > patience and shown < LEAVING:
                return Why.LEFT
            return Why.HIDDEN if self._unseen > patience else Step(expected, 0.0, False)
        place, confidence = found
        step = np.array([place.cx - self.place.cx, place.cy - self.place.cy]) / (
            self._unseen + 1 if self._unseen else 1
        )
        self._speed = 0.5 * self._speed + 0.5 * step if not self._unseen else np.zeros(2)
        self.place, self._unseen = place, 0
        if confidence > 0.8 and self._shown(place) > WHOLE:
            self._grown = float(np.sqrt(place.width * place.height / (self._placed.width * self._placed.height)))
        return Why.LEFT if self._shown(place) < LEFT else Step(place, confidence, True)

    def _like_around(self) -> float:
        """The highest correlation of what is in the outline with what lies beside it."""
        look, place = self._start.picture, self.place
        half = np.array([place.width, place.height]) * (0.5 * BEYOND + 1.0)
        window = np.array([place.cx - half[0], place.cy - half[1], place.cx + half[0], place.cy + half[1]])
        around = self._cut(self._before, window).astype(np.float32)
        sought = self._cut(
            self._before,
            np.array(
                [
                    place.cx - place.width / 2,
                    place.cy - place.height / 2,
                    place.cx + place.width / 2,
                    place.cy + place.height / 2,
                ]
            ),
        ).astype(np.float32)
        if (
            around.shape[0] <= sought.shape[0]
            or around.shape[1] <= sought.shape[1]
            or min(look.shape) < 8
            or sought.std() < 1
        ):
            return 0.0
        scores = cv2.matchTemplate(around, sought, cv2.TM_CCOEFF_NORMED)
        y, x = np.mgrid[: scores.shape[0], : scores.shape[1]]
        away = np.maximum(
            np.abs(x - scores.shape[1] / 2) / sought.shape[1], np.abs(y - scores.shape[0] / 2) / sought.shape[0]
        )
        beside = scores[away > BESIDE]
        return float(beside.max()) if len(beside) else 0.0

    def look_anew(self, grey: np.ndarray, place: Place, ignored: np.ndarray | None = None) -> None:
        """Somebody said that it is here, and looks so: from now on that is its look of late.

        Of the start's nothing is forgotten.
        """
        self.place, self._unseen, self._before, self._ignored = place, 0, grey, ignored
        self._speed = np.zeros(2)
        self._late = Look.of(self._patch(grey, place), *self._masks(grey.shape, place, ignored))

    def found_again(self, grey: np.ndarray) -> Place | None:
        """Where in a whole frame it is seen again, None where it is not, or where two places are as much alike."""
        before = self.place
        # As it was placed: how it lay when it was lost says little.
        place = replace(self._placed, width=self._placed.width * self._grown, height=self._placed.height * self._grown)
        scale = min(1.0, self._scale, SEEK_PX / max(place.width, place.height))
        small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        found: list[tuple[float, Place]] = []
        for grown in SEEK_SIZES:
            found += self._candidates(
                grey, small, scale, replace(place, width=place.width * grown, height=place.height * grown)
            )
            if found:
                break
        self.place = before
        if not found:
            return None
        best, there = max(found, key=lambda entry: entry[0])
        # Of two that are as much alike nobody knows which it is.
        apart = [
            score
            for score, other in found
            if np.hypot(other.cx - there.cx, other.cy - there.cy) > 0.5 * min(there.width, there.height)
        ]
        return there if all(score < best - self.settings.alone for score in apart) else None

    def _candidates(self, grey: np.ndarray, small: np.ndarray, scale: float, place: Place) -> list[tuple[float, Place]]:
        """Places of a whole frame that look like the start at one size, with the correlation there; small: the frame at
        a scale. What is like it when small is laid on as a look is, which tells far more."""
        look, settings, found = self._start, self.settings, []
        size = max(8, round(place.width * BEYOND * scale)), max(8, round(place.height * BEYOND * scale))
        sought = cv2.resize(np.clip(look.picture, 0, 255).astype(np.uint8), size, interpolation=cv2.INTER_AREA)
        if small.shape[0] <= size[1] or small.shape[1] <= size[0] or sought.std() < 4:
            return []
        scores = cv2.matchTemplate(small, sought, cv2.TM_CCOEFF_NORMED)
        for _ in range(SEEK_MOST):
            _, best, _, (x, y) = cv2.minMaxLoc(scores)
            if best < settings.seek:
                break
            down, across = size[1] // 2, size[0] // 2
            scores[max(0, y - down) : y + down + 1, max(0, x - across) : x + across + 1] = -1
            guess = replace(place, cx=float((x + size[0] / 2) / scale), cy=float((y + size[1] / 2) / scale))
            self.place, self._unseen, self._ignored = guess, 6, None
            there, score, agreeing = self._laid_flat(grey, guess, look)
            if score < settings.lost or agreeing < settings.agree:
                continue
            there, score, agreeing = self._laid(grey, there, look)
            if score >= settings.found[0] and agreeing >= settings.found[1] and self._shown(there) > WHOLE:
                found.append((score, there))
        return found

    # Guessing

    def _guess(self, grey: np.ndarray) -> Place:
        """Where the points inside went."""
        ahead = _moved(self.place, *self._speed)
        window = self._window(self.place, ahead)
        before, after = self._cut(self._before, window), self._cut(grey, window)
        scale = self._scale
        inside = np.zeros(before.shape, np.uint8)
        edge = (Outline(self.place, self.shape).edge_px() - window[:2]) * scale
        cv2.fillPoly(inside, [np.round(edge).astype(np.int32)], 255)
        if self._ignored is not None:
            inside[self._cut(self._ignored.astype(np.uint8) * 255, window) > 0] = 0
        points = cv2.goodFeaturesToTrack(before, POINTS, 0.01, 3, mask=inside, blockSize=3)
        if points is None or len(points) < 4:
            return ahead
        expected = points + np.float32(self._speed * scale)
        moved, there, _ = cv2.calcOpticalFlowPyrLK(
            before, after, points, expected.copy(), winSize=(15, 15), maxLevel=3, flags=cv2.OPTFLOW_USE_INITIAL_FLOW
        )
        back, again, _ = cv2.calcOpticalFlowPyrLK(
            after, before, moved, points.copy(), winSize=(15, 15), maxLevel=3, flags=cv2.OPTFLOW_USE_INITIAL_FLOW
        )
        good = (there.ravel() == 1) & (again.ravel() == 1) & (np.abs(back - points).max(axis=(1, 2)) < 0.8)
        if good.sum() < 4:
            return ahead
        similar, inliers = cv2.estimateAffinePartial2D(
            points[good], moved[good], method=cv2.RANSAC, ransacReprojThreshold=1.2
        )
        if similar is None or inliers.sum() < max(4, 0.3 * good.sum()):
            middle = np.median((moved - points)[good].reshape(-1, 2), axis=0) / scale
            return _moved(self.place, *middle)
        zoom = float(np.hypot(similar[0, 0], similar[1, 0]))
        turn = float(np.degrees(np.arctan2(similar[1, 0], similar[0, 0])))
        middle = (np.array([self.place.cx, self.place.cy]) - window[:2]) * scale
        cx, cy = (similar[:, :2] @ middle + similar[:, 2]) / scale + window[:2]
        return self._allowed(
            replace(
                self.place,
                cx=float(cx),
                cy=float(cy),
                width=self.place.width * zoom,
                height=self.place.height * zoom,
                angle=self.place.angle + turn,
            )
        )

    def _searched(self, grey: np.ndarray, guess: Place) -> Place:
        """Where around the guess the picture looks most like the start, or like it did of late."""
        room = self.settings.room * (1 + min(2.0, 0.25 * self._unseen))
        best, place = -2.0, guess
        for look in {id(self._start): self._start, id(self._late): self._late}.values():
            # The look at the size it has now.
            grown = (
                max(8, round(look.picture.shape[1] * guess.width / max(self._look_width(look), 1e-6))),
                max(8, round(look.picture.shape[0] * guess.height / max(self._look_height(look), 1e-6))),
            )
            sought = cv2.resize(look.picture, grown, interpolation=cv2.INTER_AREA)
            reach = room * max(guess.width, guess.height)
            half = np.array([grown[0], grown[1]]) / self._scale / 2 + reach
            window = np.array([guess.cx - half[0], guess.cy - half[1], guess.cx + half[0], guess.cy + half[1]])
            around = self._cut(grey, window).astype(np.float32)
            if around.shape[0] <= grown[1] or around.shape[1] <= grown[0]:
                continue
            scores = cv2.matchTemplate(around, sought, cv2.TM_CCOEFF_NORMED)
            _, score, _, (x, y) = cv2.minMaxLoc(scores)
            if score > best:
                best = score
                place = replace(
                    guess,
                    cx=float(window[0] + (x + grown[0] / 2) / self._scale),
                    cy=float(window[1] + (y + grown[1] / 2) / self._scale),
                )
        return place

    def _look_width(self, look: Look) -> float:
        return look.picture.shape[1] / self._scale / BEYOND

    def _look_height(self, look: Look) -> float:
        return look.picture.shape[0] / self._scale / BEYOND

    # Checking

    def _checked(
        self, grey: np.ndarray, guess: Place, least: float = 0.0, share: float = 0.0
    ) -> tuple[Place, float] | None:
        """The guess made exact by the look of the start, or that of late, and how sure it is; None where it is not the
        same thing. least, share: correlation and share of cells that are asked for besides."""
        settings, best, by_start = self.settings, None, True
        for look in (self._start, self._late) if self._late is not self._start else (self._start,):
            place, score, agreeing = self._laid(grey, guess, look)
            whole = self._shown(place) > WHOLE
            # Of half a thing there is less to be sure by.
            if score >= max(settings.lost if whole else settings.sure, least) and agreeing >= max(
                settings.agree if whole else settings.partly, share
            ):
                away = np.hypot(place.cx - guess.cx, place.cy - guess.cy) / max(min(place.width, place.height), 1.0)
                # Far from where the points went it has to look the more like itself.
                if score < settings.sure and away > 0.35:
                    continue
                if best is None or score > best[1]:
                    best, by_start = (place, score, agreeing), look is self._start
                # While it looks as it did at the start, small errors do not add up.
                if score >= settings.sure:
                    break
        if best is None:
            return None
        place, score, agreeing = best
        # As long as it looks as it did, nothing is learned: what slides in front a little in each frame would be
        # learned with it. What turns changes all over.
        if settings.sure <= score < settings.learn and agreeing >= settings.all_over and self._shown(place) > WHOLE:
            self._late = Look.of(self._patch(grey, place), *self._masks(grey.shape, place, self._ignored))
        return place, (1.0 if by_start else AS_OF_LATE) * float(
            np.clip(0.25 + 0.75 * (score - settings.lost) / (1 - settings.lost), 0.0, 1.0) * min(1.0, 0.4 + agreeing)
        )

    def _laid(self, grey: np.ndarray, guess: Place, look: Look) -> tuple[Place, float, float]:
        """A look laid on the picture from a guess: the place, the correlation there, and the share of cells that
        agree."""
        if look is not self._start:
            # What looks otherwise than at the start is not told from what leans otherwise.
            return self._laid_flat(grey, guess, look)
        if self._tilts:
            # The points have it near enough, mostly.
            tilted = self._tilted(grey, guess, look)
            score, agreeing = look.alike(self._patch(grey, tilted, look), self._inside(tilted, look))
            if score >= self.settings.sure:
                return tilted, score, agreeing
        place, score, agreeing = self._laid_flat(grey, guess, look)
        if self.motion not in (Motion.PERSPECTIVE, Motion.AUTO) or score < self.settings.lost:
            return place, score, agreeing
        if self._shown(place) < WHOLE:
            return place, score, agreeing
        if self.motion == Motion.AUTO and not self._tilts:
            # Where nothing has tilted yet it is tried now and then, and only on what is wholly seen.
            self._asked += 1
            if self._asked % TRY_EVERY or score > TRY_BELOW or agreeing < TRY_SEEN:
                return place, score, agreeing
        tilted = self._tilted(grey, place, look)
        better, share = look.alike(self._patch(grey, tilted, look), self._inside(tilted, look))
        least = score if self.motion == Motion.PERSPECTIVE or self._tilts else 1 - (1 - score) * CLEARLY
        if better < least or share < agreeing - 1e-6:
            return place, score, agreeing
        self._tilts = True
        return tilted, better, share

    def _tilted(self, grey: np.ndarray, place: Place, look: Look) -> Place:
        """A place in perspective made exact by the look."""
        before = place
        for _ in range(TILT_STEPS):
            found = look.tilt_step(self._patch(grey, place, look), self._inside(place, look))
            if found is None:
                break
            try:
                place = self._allowed(place_of_matrix(place.matrix() @ found))
            except ValueError:
                return before
            if np.abs(found - np.eye(3)).max() * look.picture.shape[1] / 2 < ENOUGH:
                break
        return place

    def _laid_flat(self, grey: np.ndarray, guess: Place, look: Look) -> tuple[Place, float, float]:
        """As _laid, by moving, sizing and turning alone."""
        place = guess
        for _ in range(STEPS):
            now = self._patch(grey, place, look)
            step = look.step(now, self.motion, self._inside(place, look))
            if step is None:
                break
            lean, unit = np.radians(place.angle), np.array([self._look_width(look), self._look_height(look)])
            zoom = np.clip(step[2], -0.1, 0.1)
            # Px of the look, at the size it has in the picture now.
            by = step[:2] / self._scale * np.array([place.width, place.height]) / unit
            limit = 0.25 * min(place.width, place.height)
            by = by * min(1.0, limit / max(np.hypot(*by), 1e-9))
            cos, sin = np.cos(lean), np.sin(lean)
            place = replace(
                place,
                cx=float(place.cx + by[0] * cos - by[1] * sin),
                cy=float(place.cy + by[0] * sin + by[1] * cos),
                width=place.width * (1 + float(zoom)),
                height=place.height * (1 + float(zoom)),
                angle=place.angle + float(np.clip(np.degrees(step[3]), -5, 5)),
            )
            place = self._allowed(place)
            if np.hypot(*step[:2]) < ENOUGH and abs(step[2]) < 1e-3 and abs(step[3]) < 1e-3:
                break
        score, agreeing = look.alike(self._patch(grey, place, look), self._inside(place, look))
        return place, score, agreeing

    def _inside(self, place: Place, look: Look) -> np.ndarray | None:
        """Which pixels of a look lie in the picture and not behind what is in front, bool (rows, columns); None where
        all do."""
        if self._ignored is None and self._shown(place, BEYOND) >= 1.0:
            return None
        rows, columns = look.picture.shape
        u, v = (np.arange(columns) + 0.5) / columns * 2 - 1, (np.arange(rows) + 0.5) / rows * 2 - 1
        points = place.to_px(np.stack(np.meshgrid(u * BEYOND, v * BEYOND), axis=-1).reshape(-1, 2))
        seen = ((points >= 1) & (points <= np.array(self._size) - 1)).all(axis=1)
        if self._ignored is not None:
            at = np.clip(points.astype(int), 0, np.array(self._size) - 1)
            seen &= ~self._ignored[at[:, 1], at[:, 0]]
        return seen.reshape(rows, columns)

    def _behind(self, place: Place) -> float:
        """Share of the outline's place in the picture that lies behind what is known to be in front."""
        if self._ignored is None:
            return 0.0
        grid = (np.arange(12) + 0.5) / 6 - 1
        points = place.to_px(np.stack(np.meshgrid(grid, grid), axis=-1).reshape(-1, 2))
        points = points[((points >= 0) & (points < np.array(self._size))).all(axis=1)].astype(int)
        return float(self._ignored[points[:, 1], points[:, 0]].mean()) if len(points) else 0.0

    def _allowed(self, place: Place) -> Place:
        """Within what a frame, or the frames since it was seen, may bring."""
        times = 1 + self._unseen
        grows, turns = (1 + GROWS) ** min(times, 6), TURNS * min(times, 6)
        zoom = (
            float(np.clip(place.width / self.place.width, 1 / grows, grows)) if self.motion != Motion.POSITION else 1.0
        )
        turn = (
            float(np.clip(nearest_turn(place.angle - self.place.angle), -turns, turns))
            if self.motion not in (Motion.POSITION, Motion.SIZE)
            else 0.0
        )
        if self.motion not in (Motion.PERSPECTIVE, Motion.AUTO):
            return replace(
                self.place,
                cx=place.cx,
                cy=place.cy,
                width=self.place.width * zoom,
                height=self.place.height * zoom,
                angle=self.place.angle + turn,
            )
        was, now, few = self.place.row(), place.row(), min(times, 6)
        high = self.place.height * float(np.clip(place.height / self.place.height, 1 / grows, grows))
        shear = was[5] + np.clip(now[5] - was[5], -SHEARS * few, SHEARS * few)
        tilt = was[6:] + np.clip(now[6:] - was[6:], -TILTS * few, TILTS * few)
        return place_of(
            np.array([place.cx, place.cy, self.place.width * zoom, high, self.place.angle + turn, shear, *tilt])
        )

    # Pictures

    def _patch_size(self, place: Place) -> tuple[int, int]:
        """Columns and rows of a look of something of this size."""
        return max(12, round(place.width * BEYOND * self._scale)), max(12, round(place.height * BEYOND * self._scale))

    def _patch(self, grey: np.ndarray, place: Place, look: Look | None = None) -> np.ndarray:
        """The picture in the outline and a little around it, upright and at the size of looks, float32."""
        columns, rows = self._patch_size(place) if look is None else look.picture.shape[::-1]
        if isinstance(place, Perspective):
            return self._patch_tilted(grey, place, columns, rows)
        turn, corner = pixels_of(place, columns, rows)
        shrink = int(np.hypot(*turn).min())
        if shrink >= 2:
            # Far smaller than it is: means first, so that no detail flickers through.
            reach = np.abs(turn) @ (np.array([columns, rows]) / 2) + shrink
            x0, y0 = (int(np.floor(v)) for v in np.maximum(0, np.array([place.cx, place.cy]) - reach))
            x1, y1 = int(place.cx + reach[0]) + 1, int(place.cy + reach[1]) + 1
            part = grey[max(0, y0) : max(0, y1), max(0, x0) : max(0, x1)]
            if min(part.shape[:2]) >= 2 * shrink:
                part = cv2.resize(
                    part, (part.shape[1] // shrink, part.shape[0] // shrink), interpolation=cv2.INTER_AREA
                )
                grey, turn, corner = part, turn / shrink, (corner - [x0, y0] + 0.5) / shrink - 0.5
        return cv2.warpAffine(
            grey,
            np.column_stack([turn, corner]),
            (columns, rows),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        ).astype(np.float32)

    def _patch_tilted(self, grey: np.ndarray, place: Perspective, columns: int, rows: int) -> np.ndarray:
        """As _patch, of a plane in perspective."""
        to_frame = tilted_pixels(place, columns, rows)
        shrink = int(np.hypot(*(place.linear() @ np.diag([2 * BEYOND / columns, 2 * BEYOND / rows]))).min())
        if shrink >= 2:
            x0, y0, x1, y1 = (
                int(v)
                for v in np.clip(
                    np.array(Outline(place, Shape.kinds["box"]()).box(BEYOND - 1 + 0.1))
                    + [-shrink, -shrink, shrink, shrink],
                    0,
                    [*self._size, *self._size],
                )
            )
            part = grey[y0:y1, x0:x1]
            if min(part.shape[:2]) >= 2 * shrink:
                grey = cv2.resize(
                    part, (part.shape[1] // shrink, part.shape[0] // shrink), interpolation=cv2.INTER_AREA
                )
                to_frame = (
                    np.array(
                        [
                            [1 / shrink, 0, (0.5 - x0) / shrink - 0.5],
                            [0, 1 / shrink, (0.5 - y0) / shrink - 0.5],
                            [0, 0, 1],
                        ]
                    )
                    @ to_frame
                )
        return cv2.warpPerspective(
            grey,
            to_frame,
            (columns, rows),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        ).astype(np.float32)

    def _masks(self, size: tuple[int, int], place: Place, ignored: np.ndarray | None) -> tuple[np.ndarray, np.ndarray]:
        """What of the patch counts where it is laid on a picture, the outline and its rim, and where it is compared,
        the outline alone, since the rim changes with what is behind; of what is in the picture, and not of what lies in
        front."""
        columns, rows = self._patch_size(place)
        u = ((np.arange(columns) + 0.5) / columns * 2 - 1) * BEYOND
        v = ((np.arange(rows) + 0.5) / rows * 2 - 1) * BEYOND
        away = self.shape.distance(u[None, :], v[:, None])
        if self._looked is not None:
            # Only a part of it is to be looked at; what is beyond it says nothing, its rim neither.
            x, y = np.meshgrid(u, v)
            part = self._looked.contains(np.stack([x.ravel(), y.ravel()], axis=1)).reshape(away.shape)
            away = np.where(part, away, np.inf)
        there = np.zeros(size, np.uint8) + 255
        if ignored is not None:
            there[ignored] = 0
        shown = cv2.warpPerspective(
            there, tilted_pixels(place, columns, rows), (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        )
        return (away <= BEYOND - 1) & (shown > 127), (away <= 0.02) & (shown > 127)

    def _window(self, *places: Place) -> np.ndarray:
        """x0, y0, x1, y1 px around places, with room."""
        reach = [max(p.width, p.height) * (0.5 * BEYOND + 0.35) + 8 for p in places]
        return np.array(
            [
                min(p.cx - r for p, r in zip(places, reach)),
                min(p.cy - r for p, r in zip(places, reach)),
                max(p.cx + r for p, r in zip(places, reach)),
                max(p.cy + r for p, r in zip(places, reach)),
            ]
        )

    def _cut(self, grey: np.ndarray, window: np.ndarray) -> np.ndarray:
        """A window of the frame at the size of looks, uint8; beyond the frame its edge goes on."""
        columns, rows = (max(8, round((window[n + 2] - window[n]) * self._scale)) for n in (0, 1))
        step = 1 / self._scale
        move = np.array([[step, 0, window[0] - 0.5 + step / 2], [0, step, window[1] - 0.5 + step / 2]])
        shrink = int(step)
        if shrink >= 2:
            x0, y0 = max(0, int(window[0])), max(0, int(window[1]))
            part = grey[y0 : max(y0 + shrink, int(window[3]) + 1), x0 : max(x0 + shrink, int(window[2]) + 1)]
            if min(part.shape[:2]) >= 2 * shrink:
                grey = cv2.resize(
                    part, (part.shape[1] // shrink, part.shape[0] // shrink), interpolation=cv2.INTER_AREA
                )
                move[:, :2] /= shrink
                move[:, 2] = (move[:, 2] - [x0, y0] + 0.5) / shrink - 0.5
        return cv2.warpAffine(
            grey, move, (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )

    def _shown(self, place: Place, beyond: float = 1.0) -> float:
        """Share of the outline's box, so many times as large, that is in the picture."""
        x0, y0, x1, y1 = Outline(place, self.shape).box(beyond - 1)
        across, down = min(x1, self._size[0]) - max(x0, 0), min(y1, self._size[1]) - max(y0, 0)
        return max(0.0, across) * max(0.0, down) / max((x1 - x0) * (y1 - y0), 1e-6)


def _moved(place: Place, x: float, y: float) -> Place:
    return replace(place, cx=float(np.clip(place.cx + x, -1e5, 1e5)), cy=float(np.clip(place.cy + y, -1e5, 1e5)))


def held_by(grey: np.ndarray, outline: Outline) -> Hold:
    """How much there is to hold on to in an outline on a picture, uint8 (rows, columns)."""
    return OutlineFollower(grey, outline.place, outline.shape).hold
