"""Which view factors of the enclosures of a case are known in closed form."""

from __future__ import annotations

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.checks.references.views.closing import completed
from blunt_ember.fem.problem.enclosures import EnclosureLaw
from blunt_ember.geometry.body_geometry import BodyGeometry
from blunt_ember.geometry.section import outlines_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import Mesh

#: Surfaces of an enclosure up to which it is looked for closed forms of what they see.
_MOST = 60
#: What says nothing of where a view factor comes from.
_PLAIN = ("flat", "convex", "turned away from each other")


@immutable
class EnclosureViews:
    """What is known of an enclosure: ``exchanged`` areas (s + 1, s + 1) in m² of its ``surfaces`` and, last, of the
    opening, NaN where no closed form says it; by the ``forms`` that were used."""

    surfaces: tuple[str, ...]
    area: Floats
    exchanged: Floats
    forms: tuple[str, ...]

    @property
    def source(self) -> str:
        """Where it comes from."""
        named = [form for form in self.forms if form not in _PLAIN]
        return f"view factors by {', '.join([*named, 'closure and reciprocity'])}"

    def place(self, surface: str) -> int:
        """Return the row of a surface, or of the opening."""
        return len(self.surfaces) if surface == OPENING else self.surfaces.index(surface)

    def view_factor(self, first: tuple[str, ...], second: tuple[str, ...]) -> float:
        """Return the view factor from surfaces to others, together; NaN where it is not known."""
        own, other = [self.place(name) for name in first], [self.place(name) for name in second]
        area = np.append(self.area, self.exchanged[:-1, -1].sum())
        return float(self.exchanged[np.ix_(own, other)].sum() / area[own].sum()) if area[own].sum() else float("nan")


def views_of(law: EnclosureLaw, geometry: BodyGeometry, mesh: Mesh) -> EnclosureViews:
    """Return what is known of an enclosure; nothing where it has images or very many surfaces."""
    names = law.chamber.surfaces
    area = np.array([geometry.surfaces[name].area for name in names])
    known = np.full((len(names), len(names)), np.nan)
    if law.images or len(names) > _MOST:
        return EnclosureViews(names, area, np.full((len(names) + 1,) * 2, np.nan), ())
    # What only an enclosure needs brings much along.
    from blunt_ember.checks.references.views.in_section import SectionViews
    from blunt_ember.checks.references.views.in_space import SolidViews

    section = outlines_of(geometry)
    views = SectionViews(section) if section is not None else SolidViews(mesh)
    forms: dict[str, None] = {}
    for place, name in enumerate(names):
        # What is said to be closed has no other closed form than what surfaces see of themselves.
        for other in range(place, place + 1 if law.closed else len(names)):
            view = views.of_itself(name) if other == place else views.between(name, names[other])
            if view is not None:
                known[place, other] = known[other, place] = view.exchanged
                forms[view.form] = None
    return EnclosureViews(names, area, completed(area, known, law.chamber.open_area == 0), tuple(forms))
