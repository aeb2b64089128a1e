"""Where the program begins. Loads nothing by itself: worker processes run this module again to find their way."""


def main() -> None:
    from yomikomi.cli.main import main as begin

    begin()


if __name__ == "__main__":
    main()
