/** Completion of commands and options, for the shells that ask for it. */
import type { Command } from 'commander'
import { Failure } from './failure.js'

interface Known {
  readonly name: string
  readonly about: string
  readonly options: readonly { readonly flag: string; readonly about: string; readonly choices: readonly string[] }[]
}

const shells: { readonly [shell: string]: (commands: readonly Known[]) => string } = {
  bash: (commands) =>
    [
      '_yosei() {',
      `  local word="\${COMP_WORDS[COMP_CWORD]}" last="\${COMP_WORDS[COMP_CWORD-1]}" words=""`,
      `  case "\${COMP_WORDS[1]}:$last" in`,
      ...commands.flatMap(({ name, options }) =>
        options.flatMap(({ flag, choices }) =>
          choices.length > 0 ? [`    ${name}:${flag}) words="${choices.join(' ')}" ;;`] : [],
        ),
      ),
      '  esac',
      `  if [ -z "$words" ]; then case "\${COMP_WORDS[1]}" in`,
      ...commands.map(({ name, options }) => `    ${name}) words="${options.map(({ flag }) => flag).join(' ')}" ;;`),
      `    *) words="${commands.map(({ name }) => name).join(' ')} --help --version" ;;`,
      '  esac; fi',
      '  COMPREPLY=($(compgen -W "$words" -- "$word"))',
      `  if [ "$COMP_CWORD" -gt 1 ] && [ "\${word:0:1}" != "-" ]; then COMPREPLY+=($(compgen -f -- "$word")); fi`,
      '}',
      'complete -o filenames -F _yosei yosei',
    ].join('\n'),
  zsh: (commands) =>
    [
      '#compdef yosei',
      '_yosei() {',
      '  if (( CURRENT == 2 )); then',
      `    local -a commands=(${commands.map(({ name, about }) => quoted(`${name}:${about}`)).join(' ')})`,
      '    _describe command commands',
      '    return',
      '  fi',
      '  case $words[2] in',
      ...commands.map(({ name, options }) => {
        const told = options.map(({ flag, about, choices }) =>
          quoted(
            `*${flag}[${about.replace(/[[\]:]/g, ' ')}]${choices.length > 0 ? `:value:(${choices.join(' ')})` : ''}`,
          ),
        )
        return `    ${name}) _arguments ${told.join(' ')} ${quoted('*:file:_files')} ;;`
      }),
      '  esac',
      '}',
      'compdef _yosei yosei',
    ].join('\n'),
  fish: (commands) =>
    commands
      .flatMap(({ name, about, options }) => [
        `complete -c yosei -n __fish_use_subcommand -f -a ${name} -d ${quoted(about)}`,
        ...options.map(
          ({ flag, about, choices }) =>
            `complete -c yosei -n '__fish_seen_subcommand_from ${name}' -l ${flag.slice(2)} -d ${quoted(about)}${choices.length > 0 ? ` -x -a ${quoted(choices.join(' '))}` : ''}`,
        ),
      ])
      .join('\n'),
}

const quoted = (text: string) => `'${text.replaceAll("'", '’')}'`

/** @throws Failure if the shell is none of these. */
export function completionFor(shell: string, program: Command): string {
  const write = Object.hasOwn(shells, shell) ? shells[shell] : undefined
  if (!write)
    throw new Failure(`${shell}: no completion is known for this shell; write ${Object.keys(shells).join(', ')}`)
  const commands = program.commands.map((command) => ({
    name: command.name(),
    about: command.description(),
    options: [
      ...command.options.map(({ long, description, argChoices }) => ({
        flag: long ?? '',
        about: description,
        choices: argChoices ?? [],
      })),
      { flag: '--help', about: 'display help for command', choices: [] },
    ],
  }))
  return `${write(commands)}\n`
}
