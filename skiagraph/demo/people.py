"""The made-up people of the harbour. No two have the same features: they were drawn by lot and chosen so that a face
recogniser tells every pair apart (0.45 or more between their descriptors, 0.2 within one)."""

from __future__ import annotations

from skiagraph.demo.head import Features, Look

CLERK = Look(
    skin=(0.74, 0.54, 0.40),
    hair=(0.45, 0.44, 0.43),
    brows=(0.35, 0.33, 0.32),
    beard=1,
    age=0.9,
    coat=(0.26, 0.30, 0.27),
    glasses=True,
    trousers=(0.20, 0.19, 0.18),
    features=Features(1.0, 1.27, -0.18, 0.05, 0.78, 0.2, 0.04, 1.31, 1.09, -0.05, 0.83, 0.87, 0.04, 0.04, 0.0),
    seed=33,
)
BLUE_CAP = Look(
    skin=(0.80, 0.60, 0.48),
    hat="beanie",
    hat_colour=(0.22, 0.33, 0.50),
    beard=0.5,
    coat=(0.30, 0.27, 0.22),
    apron=(0.62, 0.47, 0.16),
    features=Features(1.11, 0.82, -0.17, -0.05, 1.52, -0.15, -0.02, 1.0, 0.77, -0.04, 0.96, 1.12, -0.05, -0.06, 0.01),
    seed=3,
)
SCARF = Look(
    skin=(0.87, 0.70, 0.60),
    hair=(0.66, 0.46, 0.22),
    hair_style="bun",
    scarf=(0.12, 0.42, 0.40),
    brows=(0.45, 0.3, 0.15),
    coat=(0.33, 0.20, 0.30),
    features=Features(1.09, 1.07, 0.08, 0.01, 0.83, 0.32, -0.02, 1.02, 0.87, -0.04, 1.06, 1.54, -0.03, -0.06, 0.03),
    seed=9,
    width=0.95,
)
PORTER = Look(
    skin=(0.46, 0.30, 0.21),
    hair=(0.05, 0.04, 0.04),
    brows=(0.04, 0.03, 0.03),
    lips=(0.45, 0.22, 0.2),
    hat="brim",
    hat_colour=(0.78, 0.66, 0.40),
    coat=(0.62, 0.58, 0.50),
    trousers=(0.28, 0.24, 0.20),
    features=Features(1.14, 0.94, -0.02, -0.01, 1.83, 0.32, 0.03, 1.05, 0.81, 0.03, 1.26, 1.61, -0.14, 0.07, 0.01),
    seed=21,
)
LONG_HAIR = Look(
    skin=(0.66, 0.46, 0.34),
    hair=(0.10, 0.07, 0.05),
    hair_style="long",
    coat=(0.22, 0.33, 0.40),
    features=Features(1.1, 0.93, 0.23, 0.0, 0.65, -0.28, -0.05, 1.36, 0.93, 0.04, 0.81, 1.52, 0.0, 0.07, 0.03),
    seed=41,
    width=0.96,
)
OLD_HAND = Look(
    skin=(0.84, 0.66, 0.56),
    hair_style="bald",
    hair=(0.5, 0.4, 0.3),
    beard=0.35,
    age=0.8,
    coat=(0.38, 0.15, 0.13),
    features=Features(1.16, 0.8, 0.13, 0.02, 1.11, 0.07, 0.05, 1.38, 0.79, 0.03, 0.89, 1.62, 0.07, -0.04, 0.0),
    seed=50,
)
HEADSCARF = Look(
    skin=(0.58, 0.40, 0.29),
    hair=(0.06, 0.05, 0.05),
    hat="headscarf",
    hat_colour=(0.55, 0.22, 0.28),
    coat=(0.30, 0.33, 0.24),
    features=Features(0.92, 1.1, -0.18, -0.05, 1.87, -0.1, 0.05, 1.44, 1.46, -0.01, 0.72, 1.04, 0.09, -0.08, -0.01),
    seed=66,
    width=0.94,
)
RED_CAP = Look(
    skin=(0.72, 0.52, 0.40),
    hair=(0.25, 0.16, 0.10),
    hat="cap",
    hat_colour=(0.45, 0.18, 0.14),
    coat=(0.18, 0.20, 0.26),
    features=Features(1.11, 0.86, -0.16, 0.03, 1.76, -0.09, 0.04, 0.94, 0.77, -0.03, 1.22, 1.26, -0.02, 0.09, 0.0),
    seed=71,
    age=0.5,
)
WORKER = Look(
    skin=(0.70, 0.50, 0.38),
    hair=(0.12, 0.08, 0.06),
    hair_style="short",
    beard=0.25,
    coat=(0.24, 0.30, 0.36),
    scarf=(0.58, 0.36, 0.18),
    features=Features(1.14, 0.82, -0.04, 0.04, 0.91, -0.32, 0.05, 0.8, 0.94, -0.04, 0.74, 1.49, -0.1, -0.07, -0.02),
    seed=99,
    age=0.55,
)
FAR_BUYER = Look(
    skin=(0.78, 0.58, 0.46),
    hair=(0.30, 0.18, 0.09),
    features=Features(0.91, 1.19, -0.24, 0.0, 1.25, 0.1, -0.02, 1.18, 1.44, 0.04, 1.21, 1.03, 0.0, -0.01, 0.02),
    seed=88,
    coat=(0.42, 0.40, 0.35),
)
NET_MENDER = Look(
    skin=(0.88, 0.72, 0.62),
    hair=(0.75, 0.72, 0.68),
    hair_style="bun",
    brows=(0.5, 0.45, 0.4),
    coat=(0.20, 0.36, 0.30),
    age=0.85,
    features=Features(1.11, 0.78, -0.18, -0.05, 0.83, -0.13, 0.05, 1.22, 0.92, -0.05, 1.34, 1.17, 0.0, -0.04, -0.04),
    seed=104,
    width=0.96,
)
SKIPPER = Look(
    skin=(0.79, 0.57, 0.45),
    hair=(0.55, 0.30, 0.14),
    beard=1,
    hat="cap",
    hat_colour=(0.14, 0.17, 0.26),
    coat=(0.16, 0.19, 0.30),
    age=0.7,
    features=Features(0.86, 1.02, 0.23, -0.02, 1.81, 0.32, 0.05, 1.08, 1.37, 0.01, 1.11, 1.7, -0.09, 0.06, 0.03),
    seed=113,
)
ICE_GIRL = Look(
    skin=(0.52, 0.36, 0.26),
    hair=(0.06, 0.05, 0.04),
    hair_style="long",
    coat=(0.66, 0.60, 0.34),
    features=Features(1.13, 1.32, -0.15, -0.03, 1.73, 0.26, 0.04, 0.93, 1.38, -0.03, 1.0, 1.6, -0.1, -0.07, -0.03),
    seed=121,
    width=0.94,
    lips=(0.55, 0.25, 0.25),
)
WEIGHER = Look(
    skin=(0.83, 0.64, 0.52),
    hair=(0.16, 0.12, 0.10),
    glasses=True,
    coat=(0.50, 0.50, 0.46),
    apron=(0.22, 0.30, 0.36),
    features=Features(0.87, 1.3, 0.21, -0.02, 1.67, -0.1, -0.05, 0.82, 1.01, -0.05, 0.94, 1.37, 0.04, -0.03, -0.01),
    seed=137,
)
ORANGE_CAP = Look(
    skin=(0.62, 0.44, 0.33),
    hair=(0.1, 0.07, 0.05),
    hat="beanie",
    hat_colour=(0.76, 0.40, 0.14),
    beard=0.6,
    coat=(0.22, 0.22, 0.24),
    features=Features(1.01, 0.9, -0.24, 0.03, 0.84, -0.24, 0.02, 0.97, 0.77, 0.0, 0.85, 0.84, -0.13, -0.04, -0.03),
    seed=149,
)
GREEN_SCARF = Look(
    skin=(0.74, 0.54, 0.42),
    hair=(0.08, 0.06, 0.05),
    hat="headscarf",
    hat_colour=(0.28, 0.42, 0.26),
    coat=(0.42, 0.28, 0.22),
    features=Features(0.99, 1.26, 0.16, -0.04, 0.98, -0.1, 0.05, 0.86, 1.21, 0.03, 1.21, 1.39, 0.05, -0.03, 0.04),
    seed=158,
    width=0.95,
)
