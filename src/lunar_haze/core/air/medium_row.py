"""The packed row of a medium: what kernels read of it, by name. Banks and the tile of patches lie behind it."""

from lunar_haze.core.units.columns import Columns

MEDIUM = Columns("the row of a medium")
#: Of the fog: extinction at its base [1/m], its base, scale height and top [m].
FOG_SIGMA = MEDIUM.take("sigma")
FOG_BASE = MEDIUM.take("base")
FOG_SCALE = MEDIUM.take("scale")
FOG_TOP = MEDIUM.take("top")
#: Anisotropy of the Henyey-Greenstein lobe (`phase.blended`).
LOBE_G = MEDIUM.take("lobe_g")
ALBEDO = MEDIUM.take("albedo", 3)
CLEAR = MEDIUM.take("clear")
#: Of droplets: anisotropy and alpha of Draine's lobe, and its share.
DRAINE_G = MEDIUM.take("draine_g")
DRAINE_ALPHA = MEDIUM.take("draine_alpha")
DRAINE_SHARE = MEDIUM.take("draine_share")
#: Whether the fog's closed forms are all there is; how many banks there are; how much multiple scattering is kept.
PLAIN = MEDIUM.take("plain")
BANKS = MEDIUM.take("banks")
MULTIPLE = MEDIUM.take("multiple")
_SPARE = MEDIUM.take("spare")
#: Only a stretch of the view has mist: whether, from where along which axis, where it begins, ends, and fades over.
STRETCH = MEDIUM.take("stretch")
STRETCH_ORIGIN = MEDIUM.take("stretch_origin", 3)
STRETCH_AXIS = MEDIUM.take("stretch_axis", 3)
STRETCH_BEGINS = MEDIUM.take("stretch_begins")
STRETCH_ENDS = MEDIUM.take("stretch_ends")
STRETCH_FADES = MEDIUM.take("stretch_fades")
