"""Facets of the shot's camera: exposure, lens, place, the move over its frames, bounced light."""

from lunar_haze.core.document import edits
from lunar_haze.ui.facets.column import Column


class CameraFacets:
    """Fills a column with the camera of the shot on screen."""

    def __init__(self, column: Column) -> None:
        self._column, self._session = column, column.session
        column.keep(self)

    def fill(self) -> None:
        """All sections."""
        column, shot = self._column, self._session.document.shot
        column.title(f"camera of {shot.name}")
        column.section("exposure")
        column.rows_of("exposure")
        column.section("exposure as a camera")
        column.rows_of("exposure as a camera")
        column.section("lens")
        column.rows_of("lens")
        column.section("place and aim")
        column.rows_of("place and aim")
        for name, facet in column.facets.items():
            if shot.locked and (facet.section == "place and aim" or name == "focal length"):
                column.wells[name].locked = "the camera is locked; unlock it beside the shot's name"
        column.section("frames")
        column.rows_of("frames")
        column.lay(
            column.button(
                "last frame here" if shot.ends is None else "no move",
                "the camera goes from its start to where it is now, over the shot's frames",
                self._end_move,
            )
        )
        column.section("bounced light")
        column.rows_of("bounced light")

    def _end_move(self) -> None:
        session = self._session
        shot = session.document.shot
        if shot.ends is not None:
            session.edit("no move", edits.change_shot(session.document, ends=None, frame=shot.first_frame))
        elif shot.last_frame <= shot.first_frame:
            last = shot.first_frame + 99
            document = edits.change_shot(session.document, ends=shot.camera, last_frame=last, frame=last)
            session.edit("a move of 100 frames", document)
        else:
            document = edits.change_shot(session.document, ends=shot.camera, frame=shot.last_frame)
            session.edit("a move", document)
        session.seal()
