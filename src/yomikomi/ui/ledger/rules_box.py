"""The ledger's rules: when raw takes may go, how often files are read again, where backups lie, who works here."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QFileDialog, QFormLayout, QLineEdit, QWidget

from yomikomi.core.ledger.ledger_rules import LedgerRules
from yomikomi.ui.widgets.basics import beside, button, form_body, label, number_box, row

_WAYS = {"holding": "a folder of the workspace", "trash": "the desktop's trash"}


class LedgerRulesBox(QDialog):
    """``use``: called with the rules when they are taken."""

    def __init__(self, rules: LedgerRules, use: Callable[[LedgerRules], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._rules, self._use = rules, use
        layout = form_body(self, "Rules of the ledger", width=620)
        release = rules.release
        self.copies = number_box("Verified copies", 1, 9)
        self.disks = number_box("Drives", 1, 9)
        self.looked = number_box("Spots looked at", 0, 50)
        self.age = number_box("Days since the capture", 0, 3650, suffix=" days")
        self.term = number_box("Days in which it can be undone", 1, 3660, suffix=" days")
        self.check = number_box("Days between checks", 1, 3660, suffix=" days")
        self.backups = number_box("Backups that are kept", 1, 365)
        for box, value in (
            (self.copies, release.copies), (self.disks, release.disks), (self.looked, release.looked), (self.age, round(release.age_days)),
            (self.term, round(release.term_days)), (self.check, round(rules.check_days)), (self.backups, rules.backups),
        ):  # fmt: skip
            box.setValue(value)
        self.kinds = QLineEdit(", ".join(release.kinds))
        self.kinds.setPlaceholderText("lossless, h264, an outlet… (none: any)")
        self.kinds.setAccessibleName("Kinds that there must be a copy of")
        self.rights, self.findings = QCheckBox("The right to copy is settled"), QCheckBox("No open finding about the take or a copy")
        self.rights.setChecked(release.rights)
        self.findings.setChecked(release.no_findings)
        self.way = QComboBox()
        self.way.setAccessibleName("Where takes go")
        for key, words in _WAYS.items():
            self.way.addItem(words, key)
        self.way.setCurrentIndex(list(_WAYS).index(release.way))
        self.folder = QLineEdit(rules.backup_folder)
        self.folder.setPlaceholderText("none")
        self.folder.setAccessibleName("Second folder for backups")
        self.operator = QLineEdit(rules.operator)
        self.operator.setPlaceholderText(rules.who)
        self.operator.setAccessibleName("Who works here")
        form = QFormLayout()
        form.setVerticalSpacing(8)
        form.addRow(label("A raw take may go when it has at least", name="section"))
        for words, widget in (
            ("Verified copies, read again within a day", self.copies), ("on so many drives", self.disks), ("of these kinds", self.kinds),
            ("Spots of a copy looked at and good", self.looked), ("Age of the take", self.age),
        ):  # fmt: skip
            form.addRow(words, widget)
        form.addRow("", self.rights)
        form.addRow("", self.findings)
        form.addRow("It goes to", self.way)
        form.addRow("and can be brought back for", self.term)
        form.addRow("", label("Neither frees room before it is emptied.", quiet=True))
        form.addRow(label("Besides", name="section"))
        form.addRow("Every file is read again after", self.check)
        form.addRow("Backups of the record that are kept", self.backups)
        form.addRow("A second folder for them", beside(self.folder, button("Choose…", self._choose)))
        form.addRow("Who works here", self.operator)
        layout.addLayout(form)
        layout.addLayout(row(1, button("Cancel", self.reject), button("Use these rules", self.take, primary=True)))

    def take(self) -> None:
        kinds = tuple(dict.fromkeys(one.strip() for one in self.kinds.text().split(",") if one.strip()))[:9]
        release = self._rules.release.model_copy(update={
            "copies": self.copies.value(), "disks": self.disks.value(), "kinds": kinds, "looked": self.looked.value(),
            "age_days": float(self.age.value()), "rights": self.rights.isChecked(), "no_findings": self.findings.isChecked(),
            "way": self.way.currentData(), "term_days": float(self.term.value()),
        })  # fmt: skip
        self._use(self._rules.model_copy(update={
            "release": release, "check_days": float(self.check.value()), "backups": self.backups.value(),
            "backup_folder": self.folder.text().strip(), "operator": self.operator.text().strip()[:80],
        }))  # fmt: skip
        self.accept()

    def _choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "A second folder for backups")
        if folder:
            self.folder.setText(folder)
