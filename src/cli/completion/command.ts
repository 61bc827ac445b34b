import type { Command } from "../frame/command.ts";

/** For a shell: its script, and for that script the words that can come next. @param list all commands, this one too */
export const toCompletionCommand = (list: () => readonly Command[]): Command => ({
  name: "completion",
  group: "prepare",
  about: "prints a script that lets your shell complete commands and names",
  positional: "SHELL",
  words: ["bash", "zsh", "fish"],
  options: {},
  examples: [
    [`eval "$(rcourier completion bash)"`, "in ~/.bashrc; for zsh the same in ~/.zshrc, after compinit"],
    ["rcourier completion fish > ~/.config/fish/completions/rcourier.fish", "for fish"],
  ],
  run: async (args, terminal) => {
    const { printCompletion } = await import("./run.ts");
    return printCompletion(args, terminal, list());
  },
});
