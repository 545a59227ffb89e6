"""What the repository copied of the shared folder is what stands there today, where that folder is at hand."""

import pytest

from vectors import DATA, ROOT

SHARED = ROOT.parent / "shared"
COPIES = {DATA: SHARED / "vectors", ROOT / "bench" / "requests": SHARED / "bench" / "requests",
          ROOT / "bench" / "logs": SHARED / "bench" / "logs"}  # fmt: skip


def differing(copies, root=ROOT):
    """Files that are only on one side or differ, by their place under `root`."""
    out = []
    for mine, theirs in copies.items():
        names = {p.name for folder in (mine, theirs) for p in folder.glob("*") if p.is_file()}
        for name in sorted(names):
            pair = [folder / name for folder in (mine, theirs)]
            if not all(p.exists() for p in pair) or pair[0].read_bytes() != pair[1].read_bytes():
                out.append(f"{mine.relative_to(root)}/{name}")
    return out


@pytest.mark.skipif(not SHARED.is_dir(), reason="no shared folder beside this clone to compare with")
def test_the_copies_are_those_of_the_shared_folder():
    assert differing(COPIES) == []
    assert (ROOT / "bench" / "targets.json").read_bytes() == (SHARED / "bench" / "targets.json").read_bytes()


def test_a_difference_is_told_by_name(tmp_path):
    mine, theirs = tmp_path / "mine", tmp_path / "theirs"
    for folder, text in ((mine, "1"), (theirs, "2")):
        folder.mkdir()
        (folder / "same.json").write_text("0")
        (folder / "other.json").write_text(text)
    (theirs / "missing.json").write_text("3")
    assert differing({mine: theirs}, tmp_path) == ["mine/missing.json", "mine/other.json"]
