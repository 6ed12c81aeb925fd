"""What routes are given."""

from typing import Annotated

from fastapi import Depends, Request
from pydantic import Field

from zeroknot.studio.studio import Studio
from zeroknot.web.api.shown import ShownProjects


async def studio_of(request: Request) -> Studio:
    studio: Studio = request.app.state.studio
    return studio


async def shown_of(request: Request) -> ShownProjects:
    shown: ShownProjects = request.app.state.shown
    return shown


# The number of a row, as the database can hold it and a page can count to.
Number = Annotated[int, Field(ge=0, le=2**53)]
# The token of an answer that a page has already.
Known = Annotated[str | None, Field(max_length=64)]
StudioDep = Annotated[Studio, Depends(studio_of)]
ShownDep = Annotated[ShownProjects, Depends(shown_of)]
