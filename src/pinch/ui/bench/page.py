"""The Bench page: what is tested."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtWidgets import QInputDialog

from pinch.bench.cards import CardKind, UnitsQuery
from pinch.bench.records import Listed, Setting, Workload, live
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.ui.bench import record_grid, state
from pinch.ui.bench.control import BenchControl
from pinch.ui.bench.grid_dialogs import CombinationsDialog, RecordGridDialog, offers_dialog
from pinch.ui.bench.view import BenchView
from pinch.ui.dialogs import LadderDialog, ask_text, choose_several
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, RecordsTarget, Sent, Shell, Target


class BenchPage(Page[BenchView]):
    """Devices, settings, workloads and protocols, entered and kept."""

    name, early = tr("Bench"), True

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = BenchControl(shell.session, self.view, shell.safely)

    def make(self) -> BenchView:
        view, shell = BenchView(), self.shell
        view.rig_wanted.connect(partial(shell.safely, shell.changes.add_rig))
        view.computer_wanted.connect(partial(shell.safely, shell.changes.add_computer))
        view.ladder_wanted.connect(partial(shell.safely, self.make_ladder))
        return view

    def menu(self) -> Sequence[MenuEntry]:
        edit, add, changes = MenuName.EDIT, MenuName.ADD, self.shell.changes
        return (
            MenuEntry(edit, 130, tr("Copy this record as the next"), self.control.copy, "Ctrl+Shift+D"),
            MenuEntry(edit, 140, tr("Archive this record, or bring it back"), self.control.archive, "Ctrl+Shift+A"),
            MenuEntry(add, 10, tr("This computer"), changes.add_computer),
            MenuEntry(add, 20, tr("The simulated devices"), changes.add_rig),
            MenuEntry(add, 110, tr("Record of the kind shown"), self.control.new, "Ctrl+Shift+N"),
            MenuEntry(add, 120, tr("Setting"), self.new_setting),
            MenuEntry(add, 122, tr("Variant of the workload …"), self.new_variant),
            MenuEntry(add, 124, tr("Copies of the workload as its variants …"), self.join_variants),
            MenuEntry(add, 130, tr("Settings of another device …"), self.copy_settings),
            MenuEntry(add, 140, tr("Ladder of limits …"), self.make_ladder, "Ctrl+L"),
            MenuEntry(add, 142, tr("Settings as combinations …"), self.combine_settings, "Ctrl+Shift+B"),
            MenuEntry(add, 144, tr("Records in a grid …"), self.fill_grid, "Ctrl+Alt+K"),
            MenuEntry(add, 146, tr("Offers of the device in a grid …"), self.fill_offers),
        )

    def cancel(self) -> None:
        self.view.form.leave()

    def count(self) -> str:
        devices = len(live(self.session.book.devices()))
        return counted(devices, "device") if devices else ""

    def prepare(self) -> None:
        self.control.refresh()

    def show(self) -> None:
        self.shell.margin.show_notes(None)
        self.control.refresh()
        self.shell.margin.tell(*self.control.margin())

    def reveal(self, target: Target) -> bool:
        if not isinstance(target, RecordsTarget):
            return False
        self.view.choose_kind(target.kind)
        return True

    def sent(self) -> Sent:
        devices = tuple(d.id for d in live(self.session.book.devices()))
        if not devices:
            raise PinchError(tr("There is no device to send to the deck yet."))
        return Sent(CardKind.TABLE, UnitsQuery(device_ids=devices))

    def search(self) -> bool:
        self.view.go_to_search()
        return True

    def new_setting(self) -> None:
        """A new setting of the chosen device."""
        self.shell.go_to(RecordsTarget(Setting))
        self.control.new()

    def new_variant(self) -> None:
        """Ask for the name of a variant of the chosen workload, and show it."""
        self.shell.go_to(RecordsTarget(Workload))
        words = tr("A preset, a resolution, a cap: what is this variant called?")
        name = ask_text(self.shell.dialog_parent, tr("Variant of the workload"), words, "")
        if name is not None:
            self.control.add_variant(name)

    def join_variants(self) -> None:
        """Ask which workloads become variants of the chosen one."""
        copies = {w.name: w for w in self.control.joinable()}
        if not copies:
            raise PinchError(tr("No other workload is the same work by its unit, direction and rate."))
        chosen = choose_several(
            self.shell.dialog_parent,
            tr("Copies of the workload"),
            tr("They become variants of it, with their runs and results; undo takes it back."),
            list(copies),
        )
        if chosen:
            self.control.join_variants([copies[name] for name in chosen])
            self.shell.notices.done(
                tr("{chosen} now.", chosen=counted(len(chosen), "workload is a variant", "workloads are variants"))
            )

    def make_ladder(self) -> None:
        """Settings of the chosen device with limits in even steps."""
        device = self.session.device
        if device is None:
            raise PinchError(tr("Choose a device first; a setting belongs to one."))
        dialog = LadderDialog(device, self.shell.dialog_parent)
        if dialog.exec():
            self.shell.go_to(RecordsTarget(Setting))
            made = self.control.make_ladder(dialog.limits())
            self.shell.notices.done(tr("{made} new settings of {device}.", made=made, device=device.name))

    def combine_settings(self) -> None:
        """Settings of the chosen device as combinations of modes, graphics paths, supplies and limits."""
        device, book = self.session.device, self.session.book
        if device is None:
            raise PinchError(tr("Choose a device first; a setting belongs to one."))
        dialog = CombinationsDialog(device, live(book.settings(device.id)), self.shell.dialog_parent)
        if dialog.exec():
            self.shell.go_to(RecordsTarget(Setting))
            self._keep_all(dialog.chosen)

    def fill_grid(self) -> None:
        """Records of the kind that is shown, as rows: to type, to paste, to fill down."""
        kind, device, book = self.view.kind, self.session.device, self.session.book
        if kind is Setting and device is None:
            raise PinchError(tr("Choose a device first; a setting belongs to one."))
        there = live(state.records(book, kind, device.id if device is not None else None))
        there = [r for r in there if not isinstance(r, Workload) or r.variant_of is None]
        fresh = {"device_id": device.id} if kind is Setting and device is not None else {}
        RecordGridDialog(
            tr("{words}s in a grid", words=state.ONE[kind].capitalize()),
            record_grid.captions(kind),
            [record_grid.texts_of(r) for r in there],
            lambda typed: record_grid.records_of(kind, there, typed, fresh),
            self._keep_all,
            self.shell.dialog_parent,
        ).exec()

    def fill_offers(self) -> None:
        """The offers of the chosen device as rows."""
        device = self.session.device
        if device is None:
            raise PinchError(tr("Choose a device first; offers belong to one."))
        offers_dialog(device, self._keep_all, self.shell.dialog_parent).exec()

    def _keep_all(self, records: Sequence[Listed]) -> None:
        """Keep records as one change."""
        book = self.session.book

        def work() -> None:
            for record in records:
                book.save(record)

        self.session.change(tr("keep {records}", records=counted(len(records), "record")), work)
        self.shell.notices.done(tr("{records} kept.", records=counted(len(records), "record is", "records are")))

    def copy_settings(self) -> None:
        """All settings of another device become settings of the chosen one."""
        device, book = self.session.device, self.session.book
        others = {d.name: d for d in live(book.devices()) if device is not None and d.id != device.id}
        if device is None or not others:
            raise PinchError(tr("Choose a device first, and have another to copy from."))
        words = tr("All settings become settings of {device}, from", device=device.name)
        parent = self.shell.dialog_parent
        name, given = QInputDialog.getItem(parent, tr("Copy settings"), words, list(others), 0, False)
        if given:
            self.shell.go_to(RecordsTarget(Setting))
            copied = self.control.copy_settings(others[name])
            self.shell.notices.done(
                tr(
                    "{copied} settings of {name} are settings of {device}.",
                    copied=copied,
                    name=name,
                    device=device.name,
                )
            )
