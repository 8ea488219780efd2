/** What judges: the command that serves this page, or a module beside it. */
import { fileMark } from '../../src/bytes.ts'
import type { Bench } from '../../src/terms.ts'

/**
 * @param code Of the error, if it has one: `conflict`.
 * @param at Where it stands: `now`, `who`.
 */
export class Trouble extends Error {
  constructor(
    message: string,
    readonly code?: string,
    readonly at?: string,
  ) {
    super(message)
  }
}

async function fetched(path: string, init: RequestInit = {}): Promise<Response> {
  const response = await fetch(path, init).catch(() => {
    throw new Trouble('the desk does not answer; is the command still running?')
  })
  if (response.ok) return response
  const { detail = '', fields = {} } = (await response.json().catch(() => ({}))) as Problem
  const [[address = '', [first] = []] = []] = Object.entries(fields)
  throw new Trouble(first?.detail ?? detail, first?.code, address.replace(/^body\./, ''))
}
async function ask<T>(path: string, body?: object): Promise<T> {
  const init = { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
  return (await fetched(path, body === undefined ? {} : init)).json() as Promise<T>
}

const files = new Map<string, Blob>()
async function keep(id: string, file: Blob): Promise<void> {
  files.set(id, file)
  await fetched(`api/files/${at(id)}`, {
    method: 'PUT',
    headers: { 'content-type': 'application/octet-stream' },
    body: file,
  })
}
/** Asks about a message with files. The command forgets files when it starts again: then they are brought once more. */
async function askWith<T>(path: string, body: object, message: string): Promise<T> {
  try {
    return await ask(path, body)
  } catch (error) {
    if (!(error instanceof Trouble && error.code === 'file_gone')) throw error
    for (const [, id = ''] of message.matchAll(new RegExp(fileMark, 'g'))) {
      const file = files.get(id)
      if (file) await keep(id, file)
    }
    return ask(path, body)
  }
}
interface Problem {
  readonly detail?: string
  readonly fields?: { readonly [address: string]: readonly { readonly code: string; readonly detail: string }[] }
}
const at = (text: string) => encodeURIComponent(text)

const served: Bench = {
  catalogue: () => ask('api/catalogue'),
  shelf: () => ask('api/shelf'),
  sample: (id) => ask(`api/samples?id=${at(id)}`),
  sheet: (name) => ask(`api/endpoints/${at(name)}`),
  probes: (name, address) => ask(`api/endpoints/${at(name)}/probes?address=${at(address)}`),
  callers: (name) => ask(`api/endpoints/${at(name)}/callers`),
  keep,
  judge: (draft) => askWith('api/judgements', draft, draft.message),
  answer: (draft, { accept, language }) => askWith('api/answers', { draft, accept, language }, draft.message),
  recorded: (har) => ask('api/recordings', { har }),
  save: (order) => askWith('api/samples', order, order.draft.message),
  preview: (order) => askWith('api/previews', order, order.draft.message),
  rename: (order) => ask('api/renamings', order),
  remove: (order) => ask('api/removals', order),
  undo: (change) => ask('api/undoings', { change }),
  send: (order) => askWith('api/sendings', order, order.draft.message),
  changed: async (revision) => (await ask<{ revision: number }>(`api/changes?after=${revision}`)).revision,
}

export async function benchOf(): Promise<Bench> {
  if (document.querySelector<HTMLMetaElement>('meta[name="desk"]')?.content !== 'here') return served
  const url = new URL('assets/bench.js', document.baseURI).href
  return ((await import(/* @vite-ignore */ url)) as { default: Bench }).default
}
