/** What judges: the command that serves this page, or a module beside it. */
import type { Bench } from '../../src/terms.ts'

/** @param code Of the error, if it has one: `conflict`. */
export class Trouble extends Error {
  constructor(
    message: string,
    readonly code?: string,
  ) {
    super(message)
  }
}

async function ask<T>(path: string, body?: object, signal?: AbortSignal): Promise<T> {
  const init =
    body === undefined
      ? {}
      : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
  const response = await fetch(path, { ...init, ...(signal ? { signal } : {}) }).catch(() => {
    throw new Trouble('the desk does not answer; is the command still running?')
  })
  if (response.ok) return response.json() as Promise<T>
  const { detail = '', fields = {} } = (await response.json().catch(() => ({}))) as Problem
  const [first] = Object.values(fields)[0] ?? []
  throw new Trouble(first?.detail ?? detail, first?.code)
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
  judge: (draft) => ask('api/judgements', draft),
  answer: (draft, { accept, language }) => ask('api/answers', { draft, accept, language }),
  recorded: (har) => ask('api/recordings', { har }),
  save: (order) => ask('api/samples', order),
  send: (order) => ask('api/sendings', order),
  changed: async (revision) => (await ask<{ revision: number }>(`api/changes?after=${revision}`)).revision,
}

export async function benchOf(): Promise<Bench> {
  if (document.querySelector<HTMLMetaElement>('meta[name="desk"]')?.content !== 'here') return served
  const url = new URL('assets/bench.js', document.baseURI).href
  return ((await import(/* @vite-ignore */ url)) as { default: Bench }).default
}
