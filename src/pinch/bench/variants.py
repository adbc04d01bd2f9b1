"""Variants of a workload: the same work set otherwise. Made anew, or joined from workloads that were copies."""

from collections.abc import Sequence

from pinch.bench.book import Book
from pinch.bench.records import MOST_NAME, Workload, free_name
from pinch.core.errors import PinchError
from pinch.language import tr

SHARED = ("score_unit", "higher_is_better", "rate_channel")
"""What two workloads must have in common for the results of one to be set beside those of the other."""


def variants_of(root_id: int, workloads: Sequence[Workload]) -> list[Workload]:
    """A workload and its variants, in their order."""
    return [w for w in workloads if w.root_id == root_id]


def own_name(workload: Workload) -> str:
    """What a workload is called among its variants: its own name as a variant, else how it is set."""
    if workload.variant:
        return workload.variant
    cap = tr("cap {frame_cap_fps:g} fps", frame_cap_fps=workload.frame_cap_fps) if workload.frame_cap_fps else ""
    words = (workload.preset, workload.frame_generation, cap, workload.path)
    return ", ".join(filter(None, words)) or workload.resolution or workload.upscaling or tr("as it is")


def add_variant(
    book: Book, workload: Workload, name: str, family: Sequence[Workload] | None = None, **fields: object
) -> Workload:
    """Add a variant below a workload (of a variant: below its workload), set as that one but for the fields. `family`
    is that workload with its variants, where they are known.

    Raises
    ------
    PinchError : the name is empty, or the book cannot be written.
    """
    if not name.strip():
        raise PinchError(tr("A variant needs a name, such as its preset."))
    root = book.get(Workload, workload.root_id)
    taken = [own_name(w) for w in family or variants_of(root.id, book.workloads())]
    own = {"variant_of": root.id, "variant": free_name(name.strip(), taken)}
    record = workload.as_new(**own, **fields)
    return book.save(Workload(**record.below(root).model_dump(exclude={"kept_id"})))


def join_as_variants(book: Book, root: Workload, copies: Sequence[Workload]) -> list[Workload]:
    """Make variants of workloads that were entered as copies; their runs and results stay with them.

    Raises
    ------
    PinchError : one has variants of its own, or another unit, direction or rate than the workload.
    """
    if root.variant_of is not None:
        raise PinchError(tr("{root} is a variant itself; choose the workload that it is of.", root=root.name))
    everything = book.workloads()
    for copy in copies:
        if len(variants_of(copy.id, everything)) > 1:
            raise PinchError(tr("{copy} has variants of its own, so it cannot become one.", copy=copy.name))
        for field in SHARED:
            if getattr(copy, field) != getattr(root, field):
                caption = (Workload.model_fields[field].title or field).lower()
                raise PinchError(
                    tr(
                        "{copy} and {root} differ in “{caption}”, so they are not the same work.",
                        copy=copy.name,
                        root=root.name,
                        caption=caption,
                    )
                )
    taken = [own_name(w) for w in variants_of(root.id, everything)]
    joined = []
    with book.change():
        for copy in copies:
            name = free_name(_name_beside(copy, root), taken)
            taken.append(name)
            joined.append(book.save(copy.model_copy(update={"variant_of": root.id, "variant": name})))
    return joined


def _name_beside(copy: Workload, root: Workload) -> str:
    """The name of a copy as a variant: what it has beyond that of the workload, else how it is set."""
    rest = copy.name.removeprefix(root.name.split(",")[0]) if copy.name.startswith(root.name.split(",")[0]) else ""
    rest = rest.strip(" ,–-:")
    set_otherwise = own_name(copy)
    return (rest or (set_otherwise if set_otherwise != "as it is" else copy.name))[:MOST_NAME]
