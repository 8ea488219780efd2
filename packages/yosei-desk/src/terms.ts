/** What the page and what judges for it tell one another: plain JSON. */
import type { EndpointOutline, FieldError, FieldOutline, Reading, RuleOutline, Step } from 'yosei'

/** A request as it is being written. */
export interface Draft {
  /**
   * A request message (RFC 9112) as text, its lines ended by LF. A byte that is part of no character is the lone
   * surrogate U+DC00 plus the byte. For a large file stands a mark.
   */
  readonly message: string
  /** The clock of the judgement, RFC 3339; that of the machine by default. */
  readonly now?: string
  /** The caller, as JSON. By default, services identify the caller. */
  readonly who?: string
}

export interface EndpointEntry {
  readonly name: string
  readonly method: string
  readonly template: string
  readonly title?: string
  readonly tags: readonly string[]
}
export interface SampleEntry {
  /** Of the book and its number in it. */
  readonly id: string
  readonly title: string
  readonly method: string
  readonly target: string
}
export interface BookEntry {
  readonly file: string
  readonly title: string
  readonly samples: readonly SampleEntry[]
}
export interface Catalogue {
  readonly title: string
  readonly endpoints: readonly EndpointEntry[]
  readonly books: readonly BookEntry[]
  /** Languages that answers come in. */
  readonly languages: readonly string[]
  /** Grows with each change on disk. */
  readonly revision: number
  /** Why the intake of this revision is the one before: it does not load any more. */
  readonly broken?: string
}

/** What became of a sample. */
export interface Stamp {
  readonly endpoint?: string
  /** A status, or `accepted`, or `pending`. */
  readonly status: string
  readonly isGood: boolean
  /** What is not as its book says; `undefined` if that says nothing. */
  readonly faults?: readonly string[]
}
export interface Covered {
  readonly tripped: number
  readonly all: number
  /** Addresses with their codes. */
  readonly untripped: readonly string[]
}
export interface Shelf {
  readonly stamps: { readonly [sample: string]: Stamp }
  readonly coverage: { readonly [endpoint: string]: Covered }
}

export type { EndpointOutline, FieldOutline, RuleOutline }
/** All that the page needs of an endpoint. */
export interface Sheet {
  readonly outline: EndpointOutline
  /** The base of the intake's paths. */
  readonly base: string
  /** Accepted requests, if some can be made. */
  readonly smallest?: Draft
  readonly fullest?: Draft
}
/** A request that breaks one demand. */
export interface ProbeEntry {
  readonly what: string
  readonly address: string
  readonly code: string
  readonly draft: Draft
}

export interface Judged {
  readonly outcome: 'accepted' | 'pending' | 'rejected'
  readonly endpoint?: string
  /** Of an acceptance the one that the endpoint declares for success. */
  readonly status?: number
  /** What no endpoint has, and the endpoint that was probably meant. */
  readonly unmatched?: { readonly request: string; readonly nearest?: string }
  /** Where a rejected one stopped. */
  readonly stage?: string
  readonly errors: readonly FieldError[]
  readonly more: number
  readonly readings: readonly Reading[]
  readonly steps: readonly Step[]
  readonly unasked: readonly string[]
  /** What the handler gets, secrets apart. */
  readonly input?: unknown
  /** The values that a turn is taken by. */
  readonly turn?: { readonly of: string; readonly key: readonly unknown[] }
}
/** A caller of a sample. */
export interface Caller {
  readonly label: string
  /** The header fields that say who it is. */
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** The caller as JSON, if a book says it. */
  readonly who?: string
}
export interface Wishes {
  readonly accept: string
  readonly language: string
}
export interface Answer {
  readonly status: number
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body: string
}

/** Lines of a verdict block that a changed request does not meet any more, and those that it would meet. */
export interface OpenLine {
  readonly was?: string
  readonly now?: string
}
/** What becomes of open lines: they stay, and the sample fails; they are replaced; or they go. */
export type Decision = 'keep' | 'take' | 'remove'
/** A line that was asked about, and the answer. */
export interface Decided extends OpenLine {
  readonly decision: Decision
}
/** Nothing was saved: each of these needs a decision. */
export interface Undecided {
  readonly open: readonly OpenLine[]
}
export interface SaveOrder {
  readonly draft: Draft
  readonly file: string
  readonly title: string
  /** The sample in whose place it comes. */
  readonly replaces?: string
  /** That sample's request as it was when it was opened. */
  readonly read?: string
  /** Of each open line, in their order. If others are open by now, nothing is saved. */
  readonly decisions?: readonly Decided[]
}
export interface Saved {
  readonly id: string
  readonly stamp: Stamp
  /** What it can be taken back by. */
  readonly change: string
}
/** What becomes of a book: its lines that go, and those that come, in their order. */
export interface Preview {
  readonly open: readonly OpenLine[]
  readonly lines: readonly { readonly is: 'gone' | 'new'; readonly text: string }[]
}
/** A sample, and its request as it was when it was opened. */
export interface SampleOrder {
  readonly id: string
  readonly read: string
}
export interface SendOrder {
  readonly draft: Draft
  /** Where the server is. */
  readonly base: string
  /** How many at the same moment. */
  readonly times: number
}
export interface Sent {
  /** None if nothing came. */
  readonly status?: number
  readonly trouble?: string
  /** In milliseconds. */
  readonly took?: number
  readonly errors?: readonly { readonly address: string; readonly code: string }[]
}

/** What judges for the page. What a static build cannot do is missing. */
export interface Bench {
  catalogue(): Promise<Catalogue>
  shelf(): Promise<Shelf>
  sample(id: string): Promise<Draft>
  sheet(endpoint: string): Promise<Sheet>
  /** At an address, with `[]` for each element. */
  probes(endpoint: string, address: string): Promise<readonly ProbeEntry[]>
  /** Those that samples of an endpoint speak for. */
  callers(endpoint: string): Promise<readonly Caller[]>
  /** Keeps a file, so that a mark in a message can stand for it. */
  keep(id: string, file: Blob): Promise<void>
  judge(draft: Draft): Promise<Judged>
  answer(draft: Draft, wishes: Wishes): Promise<Answer>
  /** Recordings in a HAR, as drafts. */
  recorded(har: string): Promise<readonly Draft[]>
  readonly save?: (order: SaveOrder) => Promise<Saved | Undecided>
  /** What `save` would write. */
  readonly preview?: (order: SaveOrder) => Promise<Preview>
  /** Each gives what it can be taken back by. */
  readonly rename?: (order: SampleOrder & { readonly title: string }) => Promise<{ readonly change: string }>
  readonly remove?: (order: SampleOrder) => Promise<{ readonly change: string }>
  readonly undo?: (change: string) => Promise<unknown>
  readonly send?: (order: SendOrder) => Promise<readonly Sent[]>
  /** Waits for a revision after this one, for a while. */
  readonly changed?: (revision: number) => Promise<number>
}
