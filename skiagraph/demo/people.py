"""The made-up people of the harbour. No two have the same features: they were drawn by lot and chosen so that a face
recogniser tells every pair apart (0.45 or more between their descriptors, 0.2 within one)."""

from __future__ import annotations

from skiagraph.demo.head import Features, Look

CLERK = Look(skin=(.74, .54, .40), hair=(.45, .44, .43), brows=(.35, .33, .32), beard=1, age=.9, coat=(.26, .30, .27), glasses=True,
             trousers=(.20, .19, .18),
             features=Features(1.0, 1.27, -.18, .05, .78, .2, .04, 1.31, 1.09, -.05, .83, .87, .04, .04, .0), seed=33)
BLUE_CAP = Look(skin=(.80, .60, .48), hat="beanie", hat_colour=(.22, .33, .50), beard=.5, coat=(.30, .27, .22), apron=(.62, .47, .16),
             features=Features(1.11, .82, -.17, -.05, 1.52, -.15, -.02, 1.0, .77, -.04, .96, 1.12, -.05, -.06, .01), seed=3)
SCARF = Look(skin=(.87, .70, .60), hair=(.66, .46, .22), hair_style="bun", scarf=(.12, .42, .40), brows=(.45, .3, .15),
             coat=(.33, .20, .30),
             features=Features(1.09, 1.07, .08, .01, .83, .32, -.02, 1.02, .87, -.04, 1.06, 1.54, -.03, -.06, .03), seed=9, width=.95)
PORTER = Look(skin=(.46, .30, .21), hair=(.05, .04, .04), brows=(.04, .03, .03), lips=(.45, .22, .2), hat="brim",
              hat_colour=(.78, .66, .40), coat=(.62, .58, .50), trousers=(.28, .24, .20),
             features=Features(1.14, .94, -.02, -.01, 1.83, .32, .03, 1.05, .81, .03, 1.26, 1.61, -.14, .07, .01), seed=21)
LONG_HAIR = Look(skin=(.66, .46, .34), hair=(.10, .07, .05), hair_style="long", coat=(.22, .33, .40),
             features=Features(1.1, .93, .23, .0, .65, -.28, -.05, 1.36, .93, .04, .81, 1.52, .0, .07, .03), seed=41, width=.96)
OLD_HAND = Look(skin=(.84, .66, .56), hair_style="bald", hair=(.5, .4, .3), beard=.35, age=.8, coat=(.38, .15, .13),
             features=Features(1.16, .8, .13, .02, 1.11, .07, .05, 1.38, .79, .03, .89, 1.62, .07, -.04, .0), seed=50)
HEADSCARF = Look(skin=(.58, .40, .29), hair=(.06, .05, .05), hat="headscarf", hat_colour=(.55, .22, .28), coat=(.30, .33, .24),
             features=Features(.92, 1.1, -.18, -.05, 1.87, -.1, .05, 1.44, 1.46, -.01, .72, 1.04, .09, -.08, -.01), seed=66, width=.94)
RED_CAP = Look(skin=(.72, .52, .40), hair=(.25, .16, .10), hat="cap", hat_colour=(.45, .18, .14), coat=(.18, .20, .26),
             features=Features(1.11, .86, -.16, .03, 1.76, -.09, .04, .94, .77, -.03, 1.22, 1.26, -.02, .09, .0), seed=71, age=.5)
WORKER = Look(skin=(.70, .50, .38), hair=(.12, .08, .06), hair_style="short", beard=.25, coat=(.24, .30, .36), scarf=(.58, .36, .18),
             features=Features(1.14, .82, -.04, .04, .91, -.32, .05, .8, .94, -.04, .74, 1.49, -.1, -.07, -.02), seed=99, age=.55)
FAR_BUYER = Look(skin=(.78, .58, .46), hair=(.30, .18, .09),
             features=Features(.91, 1.19, -.24, .0, 1.25, .1, -.02, 1.18, 1.44, .04, 1.21, 1.03, .0, -.01, .02), seed=88, coat=(.42, .40, .35))
NET_MENDER = Look(skin=(.88, .72, .62), hair=(.75, .72, .68), hair_style="bun", brows=(.5, .45, .4), coat=(.20, .36, .30), age=.85,
             features=Features(1.11, .78, -.18, -.05, .83, -.13, .05, 1.22, .92, -.05, 1.34, 1.17, .0, -.04, -.04), seed=104, width=.96)
SKIPPER = Look(skin=(.79, .57, .45), hair=(.55, .30, .14), beard=1, hat="cap", hat_colour=(.14, .17, .26), coat=(.16, .19, .30), age=.7,
             features=Features(.86, 1.02, .23, -.02, 1.81, .32, .05, 1.08, 1.37, .01, 1.11, 1.7, -.09, .06, .03), seed=113)
ICE_GIRL = Look(skin=(.52, .36, .26), hair=(.06, .05, .04), hair_style="long", coat=(.66, .60, .34),
             features=Features(1.13, 1.32, -.15, -.03, 1.73, .26, .04, .93, 1.38, -.03, 1.0, 1.6, -.1, -.07, -.03), seed=121, width=.94, lips=(.55, .25, .25))
WEIGHER = Look(skin=(.83, .64, .52), hair=(.16, .12, .10), glasses=True, coat=(.50, .50, .46), apron=(.22, .30, .36),
             features=Features(.87, 1.3, .21, -.02, 1.67, -.1, -.05, .82, 1.01, -.05, .94, 1.37, .04, -.03, -.01), seed=137)
ORANGE_CAP = Look(skin=(.62, .44, .33), hair=(.1, .07, .05), hat="beanie", hat_colour=(.76, .40, .14), beard=.6, coat=(.22, .22, .24),
             features=Features(1.01, .9, -.24, .03, .84, -.24, .02, .97, .77, .0, .85, .84, -.13, -.04, -.03), seed=149)
GREEN_SCARF = Look(skin=(.74, .54, .42), hair=(.08, .06, .05), hat="headscarf", hat_colour=(.28, .42, .26), coat=(.42, .28, .22),
             features=Features(.99, 1.26, .16, -.04, .98, -.1, .05, .86, 1.21, .03, 1.21, 1.39, .05, -.03, .04), seed=158, width=.95)

