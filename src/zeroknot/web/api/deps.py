"""What routes are given."""

from typing import Annotated

from fastapi import Depends, Request
from pydantic import Field

from zeroknot.studio.studio import Studio


def studio_of(request: Request) -> Studio:
    studio: Studio = request.app.state.studio
    return studio


# The number of a row, as the database can hold it and a page can count to.
Number = Annotated[int, Field(ge=0, le=2**53)]
StudioDep = Annotated[Studio, Depends(studio_of)]
