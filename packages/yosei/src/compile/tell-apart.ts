/** Branches of a union that a value names itself: by a constant, or one of some choices, which each of them requires. */
import { type EitherNode, type Node, resolve } from '../declare/node.js'
import type { Source } from './run.js'

export interface Apart {
  /** The name of the field that tells. */
  readonly name: string
  readonly branches: ReadonlyMap<unknown, Node>
  /** Whether the field holds texts alone, which are themselves wherever they come from. */
  readonly areTexts: boolean
  /** The branches that take no object. */
  readonly others: readonly Node[]
}

const known = new WeakMap<EitherNode, Apart | false>()

/** How the branches that take objects are told apart; `undefined` where they cannot be, or are fewer than two. */
export function tellApart(node: EitherNode): Apart | undefined {
  let found = known.get(node)
  if (found === undefined) {
    found = find(node) ?? false
    known.set(node, found)
  }
  return found || undefined
}

/** Whether the field tells, where values are read from such a source: what is read from text may be meant as another type. */
export const tellsIn = ({ areTexts }: Apart, source: Source): boolean => source === 'json' || areTexts

/** The branch that an object names, where the branches can be told apart. */
export function branchFor(node: EitherNode, value: unknown, source: Source): Node | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined
  const apart = tellApart(node)
  if (!apart || !tellsIn(apart, source) || !Object.hasOwn(value, apart.name)) return undefined
  return apart.branches.get((value as { readonly [name: string]: unknown })[apart.name])
}

function find(node: EitherNode): Apart | undefined {
  const sent = node.branches.map((branch) => ({ branch, forms: formsOf(branch) }))
  const objects = sent.filter(({ forms }) => forms.some(takesObjects))
  const [first] = objects
  if (!first || objects.length < 2) return undefined
  for (const name of first.forms.flatMap(namesOf)) {
    const branches = new Map<unknown, Node>()
    const tells = objects.every(({ branch, forms }) => {
      const values = forms.map((form) => valuesOf(form, name, branch.coerce))
      return values.every((some) => some?.every((one) => (branches.get(one) ?? branch) === branch && branches.set(one, branch)))
    })
    if (!tells) continue
    const areTexts = [...branches.keys()].every((value) => typeof value === 'string' && value !== '')
    return { name, branches, areTexts, others: sent.filter((one) => !objects.includes(one)).map(({ branch }) => branch) }
  }
  return undefined
}

/** What a client may send for a declaration: behind `later` and `readAs`, and each branch of a union. */
export function formsOf(node: Node): readonly Node[] {
  const forms = new Set<Node>()
  const seen = new Set<Node>()
  const look = (one: Node): void => {
    if (seen.has(one)) return
    seen.add(one)
    if (one.kind === 'later') look(resolve(one))
    else if (one.kind === 'readAs') look(one.base)
    else if (one.kind === 'either') for (const branch of one.branches) look(branch)
    else forms.add(one)
  }
  look(node)
  return [...forms]
}

const takesObjects = ({ kind }: Node) =>
  kind === 'record' || kind === 'table' || kind === 'tagged' || kind === 'anything' || kind === 'file'

const namesOf = (form: Node): readonly string[] =>
  form.kind === 'record' ? Object.keys(form.fields) : form.kind === 'tagged' ? [form.tag] : []

/** The values that a form must have under a name; none where it takes no object; `undefined` where anything may stand there. */
function valuesOf(form: Node, name: string, coerced = false): readonly unknown[] | undefined {
  if (!takesObjects(form)) return []
  if (form.kind === 'tagged') return form.tag === name ? Object.keys(form.branches) : undefined
  if (form.kind !== 'record' || !Object.hasOwn(form.fields, name)) return undefined
  const field = form.fields[name] as Node
  if (coerced || form.coerce || field.coerce || field.need !== 'required' || field.nullable || field.readOnly) return undefined
  return field.kind === 'constant' ? [field.value] : field.kind === 'choice' ? field.values : undefined
}
