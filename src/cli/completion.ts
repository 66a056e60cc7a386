/** A command as a shell completes it. */
export interface Completed {
  name: string;
  words: string;
  options: readonly { name: string; words: string }[];
}

type Script = (commands: readonly Completed[], topics: readonly string[]) => string;

const quoted = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;

const names = (commands: readonly Completed[]) => commands.map(({ name }) => name).join(' ');

/** Words behind `isomeric help`, and shells behind `isomeric completion`. */
const argumentsOf = (commands: readonly Completed[], topics: readonly string[]): [string, string][] => [
  ['help', `${topics.join(' ')} ${names(commands)}`],
  ['completion', 'bash zsh fish'],
];

const bash: Script = (
  commands,
  topics,
) => `# Completion of isomeric for bash: eval "$(isomeric completion bash)"
_isomeric() {
  local word=\${COMP_WORDS[COMP_CWORD]} words=''
  COMPREPLY=()
  if [ "$COMP_CWORD" -eq 1 ]; then
    words='${names(commands)} --help --version --json --no-colour'
  else
    case "\${COMP_WORDS[1]}" in
${argumentsOf(commands, topics)
  .map(([name, list]) => `      ${name}) words='${list}' ;;`)
  .join('\n')}
${commands
  .filter(({ name }) => name !== 'help' && name !== 'completion')
  .map(({ name, options }) => `      ${name}) words='${options.map((each) => each.name).join(' ')}' ;;`)
  .join('\n')}
    esac
    case "$word" in
      -*) ;;
      *) case "\${COMP_WORDS[1]}" in help | completion) ;; *) words='' ;; esac ;;
    esac
  fi
  if [ -n "$words" ]; then
    mapfile -t COMPREPLY < <(compgen -W "$words" -- "$word")
  else
    compopt -o filenames 2>/dev/null
    mapfile -t COMPREPLY < <(compgen -f -- "$word")
  fi
}
complete -F _isomeric isomeric`;

const zsh: Script = (commands, topics) => `#compdef isomeric
# Completion of isomeric for zsh: eval "$(isomeric completion zsh)"
_isomeric() {
  local -a commands options
  commands=(
${commands.map(({ name, words }) => `    ${quoted(`${name}:${words}`)}`).join('\n')}
  )
  if (( CURRENT == 2 )); then
    _describe command commands
    return
  fi
  case $words[2] in
${argumentsOf(commands, topics)
  .map(([name, list]) => `    ${name}) compadd -- ${list}; return ;;`)
  .join('\n')}
${commands
  .filter(({ name }) => name !== 'help' && name !== 'completion')
  .map(
    ({ name, options }) =>
      `    ${name}) options=(${options.map((each) => quoted(`${each.name}:${each.words}`)).join(' ')}) ;;`,
  )
  .join('\n')}
  esac
  if [[ $words[CURRENT] == -* ]]; then
    _describe option options
  else
    _files
  fi
}
compdef _isomeric isomeric`;

const fish: Script = (commands, topics) => {
  const lines = ['# Completion of isomeric for fish: isomeric completion fish | source'];
  for (const { name, words, options } of commands) {
    lines.push(`complete -c isomeric -n __fish_use_subcommand -a ${name} -d ${quoted(words)}`);
    for (const option of options)
      lines.push(
        `complete -c isomeric -n '__fish_seen_subcommand_from ${name}' -l ${option.name.slice(2)} -d ${quoted(option.words)}`,
      );
  }
  for (const [name, list] of argumentsOf(commands, topics))
    lines.push(`complete -c isomeric -f -n '__fish_seen_subcommand_from ${name}' -a ${quoted(list)}`);
  return lines.join('\n');
};

/** Completion for each shell. */
export const completionScripts: Readonly<Record<string, Script>> = { bash, zsh, fish };
