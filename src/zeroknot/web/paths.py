"""Which addresses are there? Pages and templates ask here, nobody writes one out."""


class Paths:
    home = "/"
    projects = "/projects"

    @staticmethod
    def shelf(project: str) -> str:
        return f"/p/{project}/shelf"

    @staticmethod
    def fit(project: str, hand: str | None = None) -> str:
        return f"/p/{project}/fit/{hand}" if hand else f"/p/{project}/fit"

    @staticmethod
    def groove(project: str, hand: str | None = None) -> str:
        return f"/p/{project}/groove/{hand}" if hand else f"/p/{project}/groove"

    @staticmethod
    def key(project: str, hand: str | None = None) -> str:
        return f"/p/{project}/key/{hand}" if hand else f"/p/{project}/key"

    @staticmethod
    def slices(project: str, hand: str | None = None) -> str:
        return f"/p/{project}/slices/{hand}" if hand else f"/p/{project}/slices"

    @staticmethod
    def offshoots(project: str, hand: str | None = None) -> str:
        return f"/p/{project}/offshoots/{hand}" if hand else f"/p/{project}/offshoots"

    @staticmethod
    def arrange(project: str) -> str:
        return f"/p/{project}/arrange"

    @staticmethod
    def tempo(project: str) -> str:
        return f"/api/projects/{project}/tempo.mid"

    @staticmethod
    def bundle(project: str) -> str:
        return f"/api/projects/{project}/bundle"


paths = Paths()
