/** Rejections as HTTP answers: problem documents, pages, and plain text. */
import type { IntakeNode } from '../declare/intake.js'
import { originOf, type Rejected } from '../judge/verdict.js'
import { type Catalogue, catalogueFor } from './catalogue.js'
import { languagesOf, shipped } from './languages.js'
import { fill, wordFault } from './messages.js'
import { chooseForm, chooseLanguage, type Form } from './negotiate.js'
import { page } from './page.js'
import type { Reply } from './reply.js'

/** A problem document (RFC 9457); `fields` is our extension: the error map. */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
  instance: string
  fields?: { [address: string]: { code: string; detail: string; pointer?: string }[] }
}

/** Reason phrases of RFC 9110, section 15, and RFC 6585. */
const titles: { readonly [status: number]: string } = {
  400: 'Bad Request',
  401: 'Unauthorized',
  402: 'Payment Required',
  403: 'Forbidden',
  404: 'Not Found',
  405: 'Method Not Allowed',
  408: 'Request Timeout',
  409: 'Conflict',
  410: 'Gone',
  412: 'Precondition Failed',
  413: 'Content Too Large',
  414: 'URI Too Long',
  415: 'Unsupported Media Type',
  417: 'Expectation Failed',
  422: 'Unprocessable Content',
  423: 'Locked',
  428: 'Precondition Required',
  429: 'Too Many Requests',
  431: 'Request Header Fields Too Large',
  500: 'Internal Server Error',
  501: 'Not Implemented',
  503: 'Service Unavailable',
}

/** What the client would rather read. */
export interface Wishes {
  readonly accept: string | undefined
  readonly language: string | undefined
}

/**
 * The answer to a rejected request: its status, its header fields, and a problem document with every error at its field;
 * a page or plain text where the client prefers them, in a language that it reads.
 *
 * @example
 * if (verdict.outcome === 'rejected') return answer(verdict, request)
 */
export function answer(verdict: Rejected, request?: { readonly headers: Headers }): Response {
  const wishes = {
    accept: request?.headers.get('accept') ?? undefined,
    language: request?.headers.get('accept-language') ?? undefined,
  }
  const { status, headers, body } = replyTo(verdict, wishes, crypto.randomUUID(), undefined)
  return new Response(body as string, { status, headers })
}

/** The answer in its pieces. `id` is the request's. */
export function replyTo(verdict: Rejected, wishes: Wishes, id: string, envelope: IntakeNode['envelope']): Reply {
  const { words } = originOf(verdict)
  const language = chooseLanguage(wishes.language, languagesOf(words))
  const catalogue = catalogueFor(language, words, shipped)
  const problem = problemOf(verdict, catalogue, id)
  const enveloped = envelope?.(verdict, problem)
  const form = enveloped ? (enveloped.type ?? 'application/json') : chooseForm(wishes.accept)
  const headers = {
    'content-type': form.startsWith('text/') ? `${form}; charset=utf-8` : form,
    'content-language': language,
    'cache-control': 'no-store',
    vary: 'Accept, Accept-Language',
    ...(form === 'text/html' ? { 'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'" } : {}),
    ...verdict.headers,
  }
  if (!enveloped) return { status: verdict.status, headers, body: written(form as Form, problem, language, catalogue) }
  const { body, status = verdict.status } = enveloped
  return { status, headers, body: typeof body === 'string' && form.startsWith('text/') ? body : JSON.stringify(body) }
}

function written(form: Form, problem: Problem, language: string, catalogue: Catalogue): string {
  switch (form) {
    case 'application/problem+json':
      return JSON.stringify(problem)
    case 'text/html':
      return page(problem, language, catalogue)
    case 'text/plain': {
      const lines = Object.entries(problem.fields ?? {}).flatMap(([address, errors]) =>
        errors.map(({ detail }) => `${address} ${detail}\n`),
      )
      return `${problem.status} ${problem.title}\n${lines.length > 0 ? lines.join('') : `${problem.detail}\n`}\n${problem.instance}\n`
    }
    default:
      return form satisfies never
  }
}

function problemOf(verdict: Rejected, catalogue: Catalogue, id: string): Problem {
  const { status, errors, more } = verdict
  const { faults } = originOf(verdict)
  const fields: NonNullable<Problem['fields']> = {}
  let first: string | undefined
  for (let i = 0; i < errors.length; i++) {
    const { address, code, pointer } = errors[i] as (typeof errors)[number]
    const detail = wordFault(faults[i] as (typeof faults)[number], catalogue)
    first ??= `${address} ${detail}`
    fields[address] ??= []
    fields[address].push(pointer === undefined ? { code, detail } : { code, detail, pointer })
  }
  const others = errors.length - 1 + more
  return {
    type: 'about:blank',
    title: titles[status] ?? 'Rejected',
    status,
    detail:
      first === undefined
        ? (catalogue[`detail.${status}`] ?? (catalogue['detail.other'] as string))
        : others > 0
          ? fill(catalogue['detail.more'] as string, { first, more: others })
          : first,
    instance: `urn:uuid:${id}`,
    ...(first === undefined ? {} : { fields }),
  }
}
