"""Runs the benchmarks and prints the tables for docs/benchmarks.md: python -m benchmarks"""

from benchmarks import first_sound, loom, new_tempo, speed


def main() -> None:
    for table in (speed.table, first_sound.table, new_tempo.table, loom.tables):
        print(table(), end="\n\n", flush=True)


if __name__ == "__main__":
    main()
