"""Irodori: client-ready renderings from what a designer already has, with proof that nothing moved."""

# The names load on first use, which type checkers cannot follow; `_HOME` in `__init__.py` says the same.
from irodori.brief import Brief as Brief
from irodori.brief import understand as understand
from irodori.brief.describe import describe as describe
from irodori.brief.offer import complete as complete
from irodori.brief.offer import expand as expand
from irodori.brief.offer import vocabulary as vocabulary
from irodori.capture import Model as Model
from irodori.capture import open_capture as open_capture
from irodori.capture import open_model as open_model
from irodori.core.camera import Camera as Camera
from irodori.core.capture import Capture as Capture
from irodori.core.corrections import Corrections as Corrections
from irodori.core.errors import IrodoriError as IrodoriError
from irodori.core.model import ViewSpec as ViewSpec
from irodori.core.recipe import MassChange as MassChange
from irodori.core.recipe import Recipe as Recipe
from irodori.core.scene import Light as Light
from irodori.core.scene import Scene as Scene
from irodori.core.structure import Structure as Structure
from irodori.entourage import ENTOURAGE as ENTOURAGE
from irodori.entourage import EntourageList as EntourageList
from irodori.entourage import Entry as Entry
from irodori.entourage import read_entourage as read_entourage
from irodori.finishes import FINISHES as FINISHES
from irodori.finishes import Finish as Finish
from irodori.finishes import Rule as Rule
from irodori.finishes import Schedule as Schedule
from irodori.finishes import read_catalogue as read_catalogue
from irodori.finishes import read_schedule as read_schedule
from irodori.finishes.schedule import Selector as Selector
from irodori.finishes.schedule import parse_selector as parse_selector
from irodori.light import LAMPS as LAMPS
from irodori.light import LIGHTS as LIGHTS
from irodori.light import WEATHERS as WEATHERS
from irodori.light import make_light as make_light
from irodori.light import read_lamps as read_lamps
from irodori.light.lamps import Lamp as Lamp
from irodori.light.lamps import LampRule as LampRule
from irodori.light.lamps import LampSchedule as LampSchedule
from irodori.light.lamps import make_lamp as make_lamp
from irodori.picture import Picture as Picture
from irodori.picture import render as render
from irodori.picture.buffers import Buffers as Buffers
from irodori.picture.lens import Lens as Lens
from irodori.picture.looks import look as look
from irodori.picture.looks import looks as looks
from irodori.proof import Registration as Registration
from irodori.proof import prove as prove
from irodori.scene import dress as dress
from irodori.structure import read_corrections as read_corrections
from irodori.structure import read_structure as read_structure
from irodori.structure import write_corrections as write_corrections
from irodori.study import make as make
from irodori.study import repeat as repeat
from irodori.study import rich_progress as rich_progress
from irodori.study import series as series
from irodori.study.catalogues import entourage_table as entourage_table
from irodori.study.catalogues import finishes_table as finishes_table
from irodori.study.catalogues import lamps_table as lamps_table
from irodori.study.catalogues import lights_table as lights_table
from irodori.study.catalogues import looks_table as looks_table
from irodori.study.catalogues import weathers_table as weathers_table

__version__: str
__all__: list[str]
