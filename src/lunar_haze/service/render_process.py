"""Entry point of the render process: ``python -m lunar_haze.service.render_process DESCRIPTOR [CACHE|-]``."""

import contextlib
import os
import sys
from pathlib import Path


def main() -> None:
    """Serve the channel whose socket was handed down."""
    from lunar_haze.core.sky.tables import keep_tables_in
    from lunar_haze.service.channel import ChannelClosed, inherited
    from lunar_haze.service.compiling import SENTENCE, tell_compiling
    from lunar_haze.service.folders import cache_folder, sky_folder, start_logging
    from lunar_haze.service.layer_cache import LayerCache
    from lunar_haze.service.protocol import Preparing

    start_logging("render")
    # The window comes first where both want the processor, and last where memory runs out.
    os.nice(5)
    with contextlib.suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text("300")
    keep_tables_in(sky_folder())
    channel = inherited(int(sys.argv[1]))
    try:
        channel.send(Preparing("starting the render process", 0.0))
        tell_compiling(lambda begins: channel.send(Preparing(SENTENCE, 0.0 if begins else 1.0)))
        from lunar_haze.service.worker import Worker

        folder = Path(sys.argv[2]) if len(sys.argv) > 2 else cache_folder() / "layers"
        Worker(channel, LayerCache(folder)).run()
    except ChannelClosed:
        pass  # whoever wanted pictures is gone, maybe in the midst of the start


if __name__ == "__main__":
    main()
