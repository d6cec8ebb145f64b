"""The packed row of a source: what kernels read of it, by name.

``axis`` is the direction to a sun, or the way a lamp faces; ``side`` and ``up`` complete its frame. A tube has half its
length in ``half_w``; an array of lamps has them in ``first`` and ``count``, as rows after those of the sources, as a
glowing surface has its triangles.
"""

from lunar_haze.core.units.columns import Columns

#: How kernels sample a source.
SUN, SKY, BALL, DISC, RECTANGLE, BEAM, SURFACE, TUBE, IES_LAMP, ARRAY = range(10)
#: The same by the name that a kind of lamp gives (`sources.lamp.Lamp.sampled_as`).
SAMPLED_AS = {
    "ball": BALL,
    "disc": DISC,
    "rectangle": RECTANGLE,
    "beam": BEAM,
    "tube": TUBE,
    "ies lamp": IES_LAMP,
}
#: Parts of a layer: all of it, what matte reflection gives, what highlights give.
PARTS = ("all", "matte", "highlights")

SOURCE = Columns("the row of a source")
KIND = SOURCE.take("kind")
POSITION = SOURCE.take("position", 3)
AXIS = SOURCE.take("axis", 3)
SIDE = SOURCE.take("side", 3)
UP = SOURCE.take("up", 3)
RADIUS = SOURCE.take("radius")
HALF_W = SOURCE.take("half_w")
HALF_H = SOURCE.take("half_h")
RADIANCE = SOURCE.take("radiance")
AREA = SOURCE.take("area")
#: Of a beam: where its edge begins to fall and where nothing is left.
COS_INNER = SOURCE.take("cos_inner")
COS_OUTER = SOURCE.take("cos_outer")
#: Of a sun: one minus the cosine of half its size.
ONE_MINUS_COS = SOURCE.take("one_minus_cos")
#: Number of a sky's map, or of an IES lamp's table.
TABLE = SOURCE.take("table")
#: Number of the map in which the lens itself sees a sky: what is drawn on the picture is not in it.
SEEN_TABLE = SOURCE.take("seen_table")
FIRST = SOURCE.take("first")
COUNT = SOURCE.take("count")
#: Of a sky: whether it lights, is seen by the lens (so do lamps have it), is met by bounced light.
LIGHTS = SOURCE.take("lights")
SEEN = SOURCE.take("seen")
BOUNCES = SOURCE.take("bounces")
#: Of a moon: sine and cosine of its phase, with SIDE towards its bright limb.
PHASE_SIN = SOURCE.take("phase_sin")
PHASE_COS = SOURCE.take("phase_cos")
#: Of a sun under clouds: its tile of shade (-1 for none), the tile's side and height [m].
SHADE = SOURCE.take("shade")
SHADE_SIDE = SOURCE.take("shade_side")
SHADE_HEIGHT = SOURCE.take("shade_height")
#: Of a lamp: where its light ends [m].
REACH = SOURCE.take("reach")
#: Of a beam: its cut-out (-1 for none), how far before it its gate stands [m], how wide the cone is there (half, over
#: its distance), its shutters.
CUTOUT = SOURCE.take("cutout")
GATE = SOURCE.take("gate")
GATE_TAN = SOURCE.take("gate_tan")
SHUTTERS = SOURCE.take("shutters", 4)
#: Which part of reflection is gathered, and whether any object is not lit.
PART = SOURCE.take("part")
SPARES = SOURCE.take("spares")
#: The most that a lamp sends in any direction [cd].
INTENSITY = SOURCE.take("intensity")
#: Of a sun: the map of what it sees (-1 for none), the map's middle, and its texels to a metre.
MAP = SOURCE.take("map")
MAP_AT = SOURCE.take("map_at", 3)
MAP_SCALE = SOURCE.take("map_scale")
#: Of a sky: whether it is drawn through openings (`sky_guide`).
GUIDED = SOURCE.take("guided")
#: Of an oval beam: how tall its opening is to its width (0 for a round one), and where its edge begins to fall.
OVAL = SOURCE.take("oval")
OVAL_INNER = SOURCE.take("oval_inner")
COLUMNS = SOURCE.count
#: Stands for a lamp without reach.
NO_REACH = 1e9
