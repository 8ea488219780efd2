/** What every command prints by: colours, the width, and texts that fit it. */
import { once } from 'node:events'
import picocolors from 'picocolors'

// Colour is for terminals; a pipe gets plain text, on a build server too.
const { NO_COLOR, FORCE_COLOR } = process.env
export const pc = picocolors.createColors(!NO_COLOR && (Boolean(FORCE_COLOR) || process.stdout.isTTY === true))
export const width = 100

export const shorten = (text: string, length: number) => (text.length > length ? `${text.slice(0, length - 1)}…` : text)
/** What callers sent must not steer a terminal. */
export const visible = (text: string) => text.replace(/[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/gu, '·')
export const plural = (number: number, what: string) => `${number} ${what}${number === 1 ? '' : 's'}`

/** Prints as fast as it is read, so that what waits to be read takes no room. */
export async function print(text: string): Promise<void> {
  if (!process.stdout.write(text)) await once(process.stdout, 'drain')
}

/** Breaks a text at spaces, so that it fits behind an indentation. */
export function wrap(text: string, indent: number): string[] {
  const lines: string[] = []
  for (const word of text.split(' ')) {
    const last = lines.at(-1)
    if (last !== undefined && last.length + 1 + word.length <= width - indent)
      lines[lines.length - 1] = `${last} ${word}`
    else lines.push(word)
  }
  return lines
}

/** A line with a part of it marked by carets below, cut to the width around that part. */
export function marked(
  { text, at, length }: { readonly text: string; readonly at: number; readonly length: number },
  indent: number,
): string[] {
  const room = width - indent
  const plain = visible(text)
  const lead = (/^ */.exec(plain)?.[0] ?? '').length
  // What stands before is shown as far as there is room for what is meant.
  const from = at + Math.min(length, room - 20) - lead <= room - 2 ? lead : Math.max(lead, at - 20)
  const shown = `${from > lead ? '…' : ''}${plain.slice(from)}`
  const start = at - from + (from > lead ? 1 : 0)
  const cut = shorten(shown, room)
  const carets = '^'.repeat(Math.max(1, Math.min(length, cut.length - start)))
  const pad = ' '.repeat(indent)
  return [`${pad}${pc.gray(cut)}`, `${pad}${' '.repeat(start)}${pc.red(carets)}`]
}

/** Eighths of a column, so that small shares are seen. */
const blocks = ['', '▏', '▎', '▍', '▌', '▋', '▊', '▉']
/** A bar as long as a share of its room. */
export function bar(share: number, room: number): string {
  const eighths = share > 0 ? Math.max(1, Math.round(8 * room * share)) : 0
  return `${'█'.repeat(eighths >> 3)}${blocks[eighths & 7]}`.padEnd(room)
}

/** How far a long run is: a bar in a terminal, and nothing elsewhere. */
export class Progress {
  readonly #isShown: boolean
  readonly #since = Date.now()
  #last = Date.now()

  constructor(isWanted: boolean) {
    this.#isShown = isWanted && process.stderr.isTTY === true
  }

  tell(share: number, count: number): void {
    const now = Date.now()
    if (!this.#isShown || now - this.#last < 200 || now - this.#since < 500) return
    this.#last = now
    process.stderr.write(
      `\r${pc.green(bar(Math.min(1, share), 40))} ${(100 * Math.min(1, share)).toFixed(0).padStart(3)} %  ${count}`,
    )
  }
  end(): void {
    if (this.#isShown) process.stderr.write('\r\u001b[K')
  }
}
