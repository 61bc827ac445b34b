export const SHELLS = ["bash", "zsh", "fish"] as const;
export type Shell = (typeof SHELLS)[number];

/** Where a shell gets nothing from us it offers files. */
export const SCRIPTS: Readonly<Record<Shell, string>> = {
  bash: `_rcourier() {
  local IFS=$'\\n'
  COMPREPLY=($("\${COMP_WORDS[0]}" completion candidates -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
}
complete -o default -F _rcourier rcourier restless-courier
`,
  zsh: `#compdef rcourier restless-courier
_rcourier() {
  local -a found
  found=("\${(@f)$("\${words[1]}" completion candidates -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  if [[ -n "\${found[1]}" ]]; then
    compadd -- "\${found[@]}"
  else
    _files
  fi
}
compdef _rcourier rcourier restless-courier
`,
  fish: `function __rcourier_candidates
  set -l words (commandline -opc) (commandline -ct)
  $words[1] completion candidates -- $words[2..-1] 2>/dev/null
end
complete -c rcourier -a '(__rcourier_candidates)'
complete -c restless-courier -a '(__rcourier_candidates)'
`,
};
