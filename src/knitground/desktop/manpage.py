"""The man page, made of what the commands say of themselves."""

from __future__ import annotations

import click

_HEAD = r""".TH KNITGROUND 1 "{version}" "Knit Ground" "User commands"
.SH NAME
knitground \- from a sprite sheet to seamless maps that a game can load
.SH SYNOPSIS
.B knitground
[\fIVERB\fR] [\fIARGUMENTS\fR]
.SH DESCRIPTION
{about}
.PP
{more}
.SH VERBS
"""
_FOOT = r""".SH EXIT STATUS
0 done, 1 problems were found, 2 refused: one line on standard error says why.
.SH FILES
.TP
.I project.knit.json
a project is a folder with this file, its sheets, a *.tiles.json a sheet and a *.map.json a map
.TP
.I ~/.config/Knit Ground/memory.json
what the window remembers from run to run
.TP
.I ~/.local/share/Knit Ground
kept copies of unsaved work, recipes to begin other maps with, the demo project
.SH ENVIRONMENT
XDG_CONFIG_HOME, XDG_DATA_HOME and XDG_STATE_HOME say where those lie instead.
"""


def roff(text: str) -> str:
    r"""Write plain text so that nothing of it is a command of the page.

    Examples
    --------
    >>> roff("a-b ..."), roff(".x"), roff("\\")
    ('a\\-b ...', '\\&.x', '\\e')
    """
    out = text.replace("\\", "\\e").replace("-", "\\-")
    lines = (f"\\&{each}" if each.startswith((".", "'")) else each for each in out.split("\n"))
    return "\n".join(lines)


def man_page(group: click.Group, version: str) -> str:
    """Make the page of a group of commands, with each of its verbs and their options."""
    ctx = click.Context(group, info_name="knitground")
    about = " ".join((group.help or "").split())
    more = " ".join((group.epilog or "").split())
    out = [_HEAD.format(version=version, about=roff(about), more=roff(more))]
    for name in group.list_commands(ctx):
        verb = group.get_command(ctx, name)
        if verb is None:
            continue
        inner = click.Context(verb, info_name=name, parent=ctx)
        usage = " ".join(verb.collect_usage_pieces(inner)) if verb.params else ""
        out.append(f".SS {roff(f'{name} {usage}'.strip())}\n")
        out.append(roff(" ".join((verb.help or "").split())) + "\n")
        for option in verb.get_params(inner):
            found = option.get_help_record(inner)
            words = " ".join(found[1].split()) if found is not None else ""
            if found is not None and words and "--help" not in found[0]:
                out.append(f".TP\n.B {roff(found[0])}\n{roff(words)}\n")
        lines = [each.strip() for each in (verb.epilog or "").split("\n")[2:]]
        if lines:
            shown = "\n".join(roff(each) for each in lines)
            out.append(f".PP\nExamples:\n.nf\n{shown}\n.fi\n")
    return "".join([*out, _FOOT])
