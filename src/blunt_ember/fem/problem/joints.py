"""How regions meet: joints by interface, and meshes split at them."""

from __future__ import annotations

from blunt_ember.case.document.case_document import CaseDocument
from blunt_ember.case.faults.structure_faults import unknown_name
from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.units import FILM_COEFFICIENT
from blunt_ember.errors import CaseError
from blunt_ember.fem.problem.problem import JointLaw
from blunt_ember.mesh.derived.node_splitting import split_mesh
from blunt_ember.mesh.mesh import Mesh


def split_at_joints(document: CaseDocument, mesh: Mesh) -> Mesh:
    """Return the mesh with nodes doubled where the case states joints; raise :class:`CaseError` for no interface."""
    faults = []
    for place, joint in enumerate(document.joints):
        for name in (member for stated in joint.surfaces for member in document.members_of(stated)):
            inner = [known for known, facets in mesh.surfaces.items() if not facets.outer]
            if name not in inner:
                what = f"there is no interface '{name}'"
                faults.append(unknown_name(("joints", place, "on"), what, name, inner))
    if faults:
        raise CaseError(tuple(faults))
    return split_mesh(mesh, list(joints(document)))


def joints(document: CaseDocument) -> dict[str, JointLaw]:
    """Joints by interface, the later statement counting."""
    joints: dict[str, JointLaw] = {}
    for joint in document.joints:
        for name in (member for stated in joint.surfaces for member in document.members_of(stated)):
            if joint.resistance is not None:
                joints[name] = JointLaw(constant_law(1 / joint.resistance.si, FILM_COEFFICIENT))
            else:
                joints[name] = JointLaw(joint.conductance)
    return joints
