"""The Bench page's work: which record is shown, entering, new, copy, archive, ladder."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject

from pinch.bench.plausibility import is_raised
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Listed, Setting, Workload, free_name, live
from pinch.bench.setting_differences import forbidden
from pinch.bench.variants import SHARED, add_variant, join_as_variants, variants_of
from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.narrative import cautions
from pinch.runs.consent import agree, wishes_of
from pinch.ui.bench import entering, state
from pinch.ui.bench.field_widgets import field_at
from pinch.ui.bench.view import BenchView
from pinch.ui.session import Session


class BenchControl(QObject):
    """Joins the page with the session. `guard` does a piece of work and says what goes wrong."""

    def __init__(self, session: Session, view: BenchView, guard: Callable[[Callable[[], object]], None]) -> None:
        super().__init__(view)
        self._session, self._view = session, view
        self._chosen: dict[type[Listed], int] = {}
        self._asked: dict[tuple[type[Listed], int | None, str], str] = {}
        form = view.form
        form.entered.connect(lambda path, text: guard(lambda: self.enter(path, text)))
        form.row_added.connect(lambda path: guard(lambda: self.add_row(path)))
        form.row_removed.connect(lambda path, n: guard(lambda: self.remove_row(path, n)))
        view.kind_chosen.connect(self._kind_chosen)
        view.list_changed.connect(lambda: guard(self.refresh))
        view.chosen.connect(lambda number: guard(lambda: self.choose(number)))
        view.new_wanted.connect(lambda: guard(self.new))
        view.copy_wanted.connect(lambda: guard(self.copy))
        view.archive_wanted.connect(lambda: guard(self.archive))

    @property
    def record(self) -> Listed | None:
        """The record that is shown."""
        session, kind = self._session, self._view.kind
        if kind is Device:
            return session.device
        if kind is Setting:
            return session.setting
        if kind is Workload:
            return session.workload
        known: Sequence[Listed] = session.book.instruments() if kind is Instrument else session.book.protocols()
        return next((r for r in known if r.id == self._chosen.get(kind)), next(iter(live(known)), None))

    def refresh(self) -> None:
        """Show the list and the form as they are now."""
        view, session = self._view, self._session
        device = session.device
        search, archived = view.search.text(), view.archived.isChecked()
        items = state.items(session.book, view.kind, session.subject.device_id, search, archived)
        record = self.record
        if record is not None and record.id not in [i.id for i in items]:
            record = None
        may_change = not session.book.read_only
        view.show_list(items, record.id if record else None, may_change, device)
        devices = session.book.devices()
        view.offer_devices(
            may_change and not any(d.local for d in devices), may_change and not any(d.rig for d in devices)
        )
        if record is None:
            view.show_nothing(bool(search), device)
            if items and view.kind is not Setting:
                view.headline.setText(tr("Choose one on the left."))
            return
        view.show_headline(state.headline(record, device), record.archived)
        draft = entering.settle(record, session.book.drafts(record))
        asked = {path: words for (kind, key, path), words in self._asked.items() if (kind, key) == self._key(record)}
        raised = isinstance(record, Setting) and device is not None and is_raised(record, device)
        rule = forbidden(device, record) if isinstance(record, Setting) and device is not None else ""
        broken = tr("Not possible by a rule of this device: {rule}.", rule=rule.partition(": ")[2]) if rule else ""
        caution = " ".join(filter(None, (broken, cautions.RAISED_LIMITS if raised else "")))
        view.form.setEnabled(may_change)
        view.form.show_record(
            record,
            state.sections_of(record),
            draft.texts,
            draft.problems,
            asked | entering.questions(record, device),
            caution,
        )

    def margin(self) -> tuple[str, list[str]]:
        """Title and words for the margin."""
        record = self.record
        if record is None:
            return tr("The bench"), [
                tr("What is tested: devices with their settings, workloads, and the protocol of the test.")
            ]
        return record.name, state.margin_words(self._session.book, record, self._session.device)

    def choose(self, record_id: int, kind: type[Listed] | None = None) -> None:
        """Show another record, of the kind that is shown where none is named; it becomes the subject."""
        session, kind, s = self._session, kind or self._view.kind, self._session.subject
        if kind is Device:
            session.choose(record_id, None, s.workload_id, None)
        elif kind is Setting:
            session.choose(s.device_id, record_id, s.workload_id, None)
        elif kind is Workload:
            session.choose(s.device_id, s.setting_id, record_id, None)
        else:
            self._chosen[kind] = record_id
            session.subject_changed()

    def enter(self, path: str, text: str) -> None:
        """Take in what was typed into a field: it is kept as the field's value, or as it was typed."""
        record = self._need()
        caption = field_at(type(record), path).caption
        entered = entering.enter(record, path, text)
        self._asked.pop((*self._key(record), path), None)
        if entered.question:
            self._asked[(*self._key(record), path)] = entered.question
        book = self._session.book
        if entered.record == record and path not in book.drafts(record):
            self._session.subject_changed()  # nothing but the question has gone
            return
        if entered.record is None:
            self._session.change(tr("type {caption}", caption=caption), lambda: book.set_draft(record, path, text))
            return
        changed = entered.record
        texts = {p: t for p, t in book.drafts(record).items() if p != path}
        settled = entering.settle(changed, texts)

        def work() -> None:
            for taken in {path, *texts} - set(settled.texts):
                book.set_draft(record, taken, None)
            book.save(settled.record)

        agree(book.path, [wish for wish in wishes_of(settled.record) if wish.words == text.strip()])  # by typing it
        self._session.change(tr("change {caption} of {record}", caption=caption, record=record.name), work)

    def add_row(self, path: str) -> None:
        """One more line in a list."""
        record = self._need()
        self._save(
            entering.add_row(record, path), tr("add a line to {caption}", caption=field_at(type(record), path).caption)
        )

    def remove_row(self, path: str, number: int) -> None:
        """One line less; drafts in the list go with it."""
        record, book = self._need(), self._session.book
        changed = entering.remove_row(record, path, number)

        def work() -> None:
            for draft in book.drafts(record):
                if draft.startswith(f"{path}."):
                    book.set_draft(record, draft, None)
            book.save(changed)

        self._session.change(tr("remove a line of {caption}", caption=field_at(type(record), path).caption), work)

    def new(self) -> None:
        """A new record of the kind that is shown."""
        names = [i.name for i in self._everything()]
        name = free_name(tr("New {one}", one=self._view.one), names)
        fields: dict[str, Any] = {"name": name}
        if self._view.kind is Setting:
            fields["device_id"] = self._need_device().id
        self._add(self._view.kind.model_validate(fields), tr("new {one}", one=self._view.one))

    def copy(self) -> None:
        """A copy of the record as the start of the next; a device comes with its settings."""
        record, book = self._need(), self._session.book
        update: dict[str, Any] = {"name": free_name(record.name, [i.name for i in self._everything()])}
        update["archived"] = False
        if isinstance(record, Device):
            update |= {"rig": None, "local": False, "untold": (), "reach": ""}
        if isinstance(record, Workload) and record.variant_of is not None:
            self.add_variant(record.variant)
            return
        copied = record.as_new(**update)
        if not isinstance(record, Device):
            self._add(copied, tr("copy {record}", record=record.name))
            return

        def work() -> Listed:
            kept = book.save(copied)
            for setting in book.settings(record.id):
                if not setting.archived:
                    book.save(setting.as_new(device_id=kept.id))
            return kept

        self._change_and_choose(tr("copy {record}", record=record.name), work)

    def archive(self) -> None:
        """Keep the record, but offer it no more; or bring it back."""
        record = self._need()
        verb = tr("bring back") if record.archived else tr("archive")
        self._save(record.model_copy(update={"archived": not record.archived}), f"{verb} {record.name}")

    def add_variant(self, name: str) -> None:
        """A new variant of the chosen workload, set as that one at first.

        Raises
        ------
        PinchError : no workload is chosen, or the name is empty.
        """
        workload, book = self._need_workload(), self._session.book
        self._change_and_choose(tr("add variant {name}", name=name), lambda: add_variant(book, workload, name))

    def joinable(self) -> list[Workload]:
        """The workloads that could become variants of the chosen one: the same work by unit, direction and rate."""
        workload, everything = self._need_workload(), self._session.book.workloads()
        return [
            w
            for w in live(everything)
            if w.root_id != workload.root_id
            and w.variant_of is None
            and len(variants_of(w.id, everything)) == 1
            and all(getattr(w, field) == getattr(workload, field) for field in SHARED)
        ]

    def join_variants(self, copies: Sequence[Workload]) -> None:
        """Make variants of the chosen workload of workloads that were entered as copies."""
        book = self._session.book
        root = book.get(Workload, self._need_workload().root_id)
        words = (
            tr("make {copies} a variant", copies=copies[0].name)
            if len(copies) == 1
            else tr("make {copies} workloads variants", copies=len(copies))
        )
        self._session.change(
            tr("{words} of {root}", words=words, root=root.name), lambda: join_as_variants(book, root, copies)
        )

    def _need_workload(self) -> Workload:
        workload = self._session.workload
        if workload is None:
            raise PinchError(tr("Choose a workload first; a variant belongs to one."))
        return workload

    def copy_settings(self, source: Device) -> int:
        """The settings of another device as settings of the chosen one, but for names that it has; returns how many.

        Raises
        ------
        PinchError : there is nothing to copy.
        """
        device, book = self._need_device(), self._session.book
        known = {s.name for s in book.settings(device.id)}
        new = [s for s in live(book.settings(source.id)) if s.name not in known]
        if not new:
            raise PinchError(tr("{device} has settings of all these names already.", device=device.name))

        def work() -> Listed:
            kept = [book.save(s.as_new(device_id=device.id)) for s in new]
            return kept[0]

        self._change_and_choose(tr("copy settings of {source}", source=source.name), work)
        return len(new)

    def make_ladder(self, limits_w: Sequence[float]) -> int:
        """Settings of the device with these limits, each a copy of the chosen setting where there is one; returns how
        many are new.

        Raises
        ------
        PinchError : the limits make no sense, or all of these settings are there already.
        """
        device, book = self._need_device(), self._session.book
        base = self._session.setting or Setting(device_id=device.id, name=tr("Ladder"), burst_w=None)
        known = {s.name for s in book.settings(device.id)}
        made = [
            base.as_new(
                name=name,
                sustained_w=watts,
                burst_w=max(watts, base.burst_w) if base.burst_w else None,
                notes="",
            )
            for watts in limits_w
            for name in [tr("{watts:g} W", watts=watts) if base.mains else tr("{watts:g} W on battery", watts=watts)]
            if name not in known
        ]
        if not made:
            raise PinchError(tr("{device} has all of these settings already.", device=device.name))

        def work() -> Listed:
            kept = [book.save(s) for s in made]
            return kept[0]

        self._change_and_choose(tr("make a ladder of {made} settings", made=len(made)), work)
        return len(made)

    def _everything(self) -> list[state.Item]:
        return state.items(self._session.book, self._view.kind, self._session.subject.device_id, "", True)

    def _add(self, record: Listed, words: str) -> None:
        self._change_and_choose(words, lambda: self._session.book.save(record))

    def _change_and_choose(self, words: str, work: Callable[[], Listed]) -> None:
        kept: list[Listed] = []
        self._session.change(words, lambda: kept.append(work()))
        self.choose(kept[0].id, type(kept[0]))

    def _save(self, record: Listed, words: str) -> None:
        self._session.change(words, lambda: self._session.book.save(record))

    def _need(self) -> Listed:
        record = self.record
        if record is None:
            raise PinchError(tr("There is no {one} to change.", one=self._view.one))
        return record

    def _need_device(self) -> Device:
        device = self._session.device
        if device is None:
            raise PinchError(tr("Choose a device first; a setting belongs to one."))
        return device

    def _kind_chosen(self) -> None:
        self._view.search.clear()
        self._session.subject_changed()

    @staticmethod
    def _key(record: Listed) -> tuple[type[Listed], int | None]:
        return type(record), record.id
