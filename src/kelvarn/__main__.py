"""Where the program begins: `kelvarn`, and `python -m kelvarn`, which is the same."""

import signal


def main() -> None:
    """Run the command line."""
    # Ctrl+C while all else is still being loaded ends it at once and without a word.
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    from kelvarn.cli import app

    signal.signal(signal.SIGINT, signal.default_int_handler)
    app.main()


if __name__ == "__main__":
    main()
