/** A request of one endpoint, as a tree of what is sent: written as a message, and judged. */
import { type BodyNode, type EndpointNode, rootOf } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { judgeMessage } from '../judge/judge.js'
import { readNode } from '../kinds/reading.js'
import type { RecordNode } from '../kinds/record.js'
import type { Fault, Source } from '../kinds/run.js'
import { unknownType } from '../read/form.js'
import { sourceOf } from '../read/media.js'
import type { Message } from '../read/message.js'
import { syntaxOf } from '../read/syntax.js'
import type { AnyRule } from '../rules/rule.js'
import type { Parts } from '../terms/parts.js'
import { receivedOf, type Wire, wireOf } from '../write/wire.js'
import { contentOf, formOf, formType, oneIn } from './files.js'
import { isNeeded, type Making, make, makeSent } from './make.js'
import type { Pick as Picking } from './pick.js'
import { isThere, reach, type Step } from './ways.js'

/** What is sent, by part, and the caller. */
export type Tree = Parts

/** A request as it goes out, and who sends it. */
export interface Outgoing {
  readonly message: Message<string | null>
  /** The caller, as the endpoint reads it, and as JSON. */
  readonly who?: { readonly read: unknown; readonly json: unknown }
}

/** What came of a tree: what is wrong with it. */
export interface Came {
  readonly faults: readonly Pick<Fault, 'path' | 'code' | 'stage'>[]
  /** The rules that did not hold. */
  readonly failed: ReadonlySet<AnyRule>
}

/** One endpoint with a body of one media type, as probes are made of it. */
export class Trial {
  readonly root: RecordNode
  constructor(
    readonly app: IntakeNode,
    readonly endpoint: EndpointNode,
    readonly body: BodyNode | undefined,
    readonly making: Making,
  ) {
    this.root = rootOf(endpoint, body)
  }

  /**
   * The request that a pick makes.
   *
   * @throws Unmakeable if there is none.
   */
  made(pick: Picking, isLenient = false): Tree {
    const tree: { [part: string]: unknown } = {}
    for (const [part, node] of Object.entries(this.root.fields))
      if (isNeeded(node) || pick() > 0.5)
        tree[part] = (part === 'body' ? makeSent : make)(node, {
          ...this.making,
          pick,
          isLenient,
          source: this.#sourceOf(part),
        })
    return tree
  }

  /** The same request, with something at the end of a way. */
  reached(tree: Tree, [first, ...rest]: readonly Step[]): Tree {
    const part = first && 'into' in first ? String(first.into) : ''
    const node = this.root.fields[part]
    if (!node) return tree
    return { ...tree, [part]: reach(node, rest, tree[part], { ...this.making, source: this.#sourceOf(part) }) }
  }

  /** Whether something stands at the end of a way already. */
  holds(tree: Tree, way: readonly Step[]): boolean {
    return isThere(this.root, way, tree)
  }

  #sourceOf(part: string): Source {
    if (part === 'who') return 'json'
    return part === 'body' && this.body ? sourceOf(this.body, this.endpoint.coerce) : 'text'
  }

  /** What goes out; `undefined` if something in it cannot be sent where it is. */
  outgoing(tree: Tree): Outgoing | undefined {
    const wire = this.#wireOf(tree)
    return wire && { message: this.#messageOf(tree, wire), ...this.#whoOf(tree) }
  }

  judge(tree: Tree): Came | undefined {
    const wire = this.#wireOf(tree)
    if (!wire) return undefined
    const { who } = this.#whoOf(tree)
    const received = receivedOf(wire.body)
    const verdict = judgeMessage(this.app, this.#messageOf(tree, wire), {
      now: new Date(this.making.now),
      ...(received ? { received } : {}),
      asker: { who: who?.read },
    })
    if (verdict.outcome === 'accepted') return fine
    const failed = verdict.faults.flatMap(({ by }) => (by ? [by as AnyRule] : []))
    const unsaid = { path: [], code: String(verdict.status), stage: verdict.stage }
    return { faults: verdict.faults.length > 0 ? verdict.faults : [unsaid], failed: new Set(failed) }
  }

  #wireOf(tree: Tree): Wire | undefined {
    const wire = wireOf(this.endpoint, this.body, tree, (_, value) => value)
    return wire.faults.length > 0 ? undefined : wire
  }

  #messageOf(tree: Tree, { target, headers, body }: Wire): Message<string | null> {
    const { method } = this.endpoint
    const whole = this.app.base + target
    const isForm = this.body && syntaxOf(this.body).textPart === 'multipart'
    // A file without a declared type has the type of the body.
    const isUnknown = body?.body instanceof Blob && body.body.type === unknownType
    const type = isForm ? formType : isUnknown ? oneIn(this.body?.mediaType ?? unknownType) : undefined
    const typed = headers.map(([name, value]) => [name, name === 'content-type' ? (type ?? value) : value] as const)
    if (body && isForm) return { method, target: whole, headers: typed, body: formOf(tree.body) }
    const text = body && (typeof body.body === 'string' ? body.body : contentOf(body.body as Blob))
    return { method, target: whole, headers: typed, body: text ?? null }
  }

  #whoOf({ who: json }: Tree): Pick<Outgoing, 'who'> {
    const { who, open } = this.endpoint
    if (!who) return this.app.identify && !open ? { who: { read: {}, json: {} } } : {}
    if (json === undefined) return {}
    const read = readNode(who, json, 'json', startRun(this.making.now))
    return { who: { read, json } }
  }
}

const fine: Came = { faults: [], failed: new Set() }
