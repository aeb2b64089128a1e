"""Where the program begins. Loads nothing by itself: worker processes run this module again to find their way."""


def main() -> None:
    from yomikomi.cli.main import main as begin

    begin(own_process=True)


if __name__ == "__main__":
    main()
