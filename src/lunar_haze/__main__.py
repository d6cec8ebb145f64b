"""``python -m lunar_haze``: the same as the command ``lunar-haze``, wherever the folder has been moved to."""

from lunar_haze.cli.main import run

if __name__ == "__main__":
    run()
