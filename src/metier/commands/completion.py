"""``metier completion``: what a shell needs so that it completes commands, options and names."""

from argparse import Namespace

from metier.words.arguments import option
from metier.words.parser import Answer, Parser, command_parser

_SHELLS = ("bash", "zsh", "fish", "powershell")


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "completion",
        "Print what makes your shell complete commands, options, and the names of printers, rolls "
        "and trials. It goes into the file that your shell reads as it starts.",
        '  eval "$(metier completion bash)"          in ~/.bashrc; zsh: in ~/.zshrc\n'
        "  metier completion fish | source           in config.fish\n"
        "  metier completion powershell | Out-String | Invoke-Expression",
    )
    option(parser, "shell SHELL", ", ".join(_SHELLS), _SHELLS)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier completion``."""
    from argcomplete.shell_integration import shellcode

    script = shellcode(["metier"], use_defaults=False, shell=options.shell).strip()
    return Answer({"shell": options.shell, "script": script}, script)
