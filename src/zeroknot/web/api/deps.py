"""What routes are given."""

from typing import Annotated

from fastapi import Depends, Request

from zeroknot.studio.studio import Studio


def studio_of(request: Request) -> Studio:
    studio: Studio = request.app.state.studio
    return studio


StudioDep = Annotated[Studio, Depends(studio_of)]
