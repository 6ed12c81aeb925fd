"""Runs the benchmarks and prints the tables for docs/benchmarks.md: python -m benchmarks"""

from benchmarks import first_sound, speed


def main() -> None:
    for table in (speed.table, first_sound.table):
        print(table(), end="\n\n", flush=True)


if __name__ == "__main__":
    main()
