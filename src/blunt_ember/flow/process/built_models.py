"""What the process that others are forked from makes ready last: the models of a case, which each would build anew."""

from __future__ import annotations

import gc

from blunt_ember.case.document.case_document import CaseDocument

CaseDocument.model_rebuild()
gc.freeze()  # in what is forked, which looks for what can be thrown away, none of this is looked through
