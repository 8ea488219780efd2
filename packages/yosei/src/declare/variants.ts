/** Variants of a field, as new declarations: of a record for creating, changing and searching. */

import { kinds } from '../kinds/brought.js'
import { fieldNode, type Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import { record as recordKind } from '../kinds/record.js'
import type { TableNode } from '../kinds/table.js'
import { ruleOf } from '../rules/brought.js'
import type { AnyRule } from '../rules/rule.js'
import { addressesOf } from '../rules/rules.js'
import { parseAddress } from '../terms/address.js'
import type { Need } from '../terms/declared.js'
import { frozen } from '../terms/frozen.js'
import { mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import {
  type Options as AllOptions,
  aFlag,
  checkOptions,
  isField,
  isPlain,
  shown,
  fields as takenFields,
} from '../terms/option-types.js'
import { given } from '../terms/own.js'
import { fieldOf } from '../terms/standard.js'
import type {
  Common,
  Field,
  Fields,
  Flat,
  InFields,
  NeedOf,
  Null,
  Out,
  OutFields,
  RecordField,
} from '../terms/types.js'
import { make, type Options } from './fields.js'

type MadeRecord<F extends Fields> = RecordField<F, OutFields<F>, InFields<F>, 'required'>
/** What a change may be: `nullable` where null removes, `deep` where it goes into records. */
export interface PatchOptions {
  /**
   * Whether `null` removes a value, as in a JSON Merge Patch (RFC 7396). Only optional fields can be removed; others
   * are `null_not_allowed`.
   */
  nullable?: boolean | undefined
  /** Whether records in the record change field by field as well. Tables change name by name, lists and unions as a whole. */
  deep?: boolean | undefined
}
type Removable<T, P extends Need, O> = O extends { nullable: true }
  ? P extends 'required'
    ? Exclude<T, null>
    : T | null
  : T
type Optional<F, O> =
  F extends RecordField<infer G, infer _, infer __, infer P>
    ? O extends { deep: true }
      ? Field<Removable<OutFields<Optionally<G, O>>, P, O>, Removable<InFields<Optionally<G, O>>, P, O>, 'optional'>
      : AnyOptional<F, O>
    : AnyOptional<F, O>
type AnyOptional<F, O> =
  F extends Field<infer T, infer I, infer P>
    ? Field<Removable<InTable<T, O>, P, O>, Removable<InTable<I, O>, P, O>, 'optional'>
    : never
/** A table's names may be removed one by one. */
type InTable<T, O> = O extends { nullable: true }
  ? T extends { [name: string]: infer V }
    ? string extends keyof T
      ? { [name: string]: V | null }
      : T
    : T
  : T
type Optionally<F extends Fields, O> = { readonly [K in keyof F]: Optional<F[K], O> }

/** What is no record, or a name that it does not have, is no declaration. */
function checkVariant(of: RecordField, who: string, names: unknown = []): void {
  if (of?.kind !== 'record' || !isPlain(of.fields))
    mistake(`${who}()`, `it makes a record of a record, and not of ${shown(of)}`, 'Give it a record()')
  if (!Array.isArray(names)) mistake(`${who}()`, `its names are ${shown(names)}`, "Write them as a list: ['name']")
  const declared = Object.keys(of.fields)
  const lost = names.find((name) => !declared.includes(name))
  if (lost !== undefined)
    mistake(
      `${who}()`,
      `the record has no field ${lost}`,
      `Name ${nearestOf(String(lost), declared) ?? `some of ${declared.join(', ')}`}`,
    )
}

/** The same record with other fields; its own options stay, but that it must be sent. */
function variant<F extends Fields>(of: RecordField<Fields>, fields: Fields): MadeRecord<F> {
  const { kind: _, need: __, default: ___, ...options } = fieldNode(of) as RecordNode
  for (const rule of (options.rules ?? []) as readonly AnyRule[]) {
    const lost = addressesOf(rule).find((address) => !Object.hasOwn(fields, String(parseAddress(address)?.[0])))
    if (lost !== undefined)
      mistake(
        `the variant of a record, ${lost}`,
        `its rule ${rule.rule} reads this field`,
        'Keep the field, or give the rule to the endpoint',
      )
  }
  return make({ record: recordKind }, { ...options, fields: Object.freeze(fields) } as Options)
}

/**
 * Every field optional, and without its default: what was not sent stays not sent. With `nullable`, the body of a JSON
 * Merge Patch (RFC 7396); of the rules those stay that judge only what was sent. See `judgeMerged`.
 *
 * @example
 * endpoint('PATCH /sessions/{id}', {
 *   path: { id: text() },
 *   body: { 'application/merge-patch+json': allOptional(session, { nullable: true, deep: true }) },
 * })
 */
export function allOptional<F extends Fields, const O extends PatchOptions = {}>(
  of: RecordField<F>,
  options?: O & PatchOptions,
): MadeRecord<Optionally<F, O>> {
  checkVariant(of, 'allOptional')
  checkOptions(options ?? {}, patchOptions, 'allOptional()', (what, mend, option) =>
    mistake('allOptional()', what, mend, { option }),
  )
  const { nullable = false, deep = false } = options ?? {}
  return variant(patchable(of, nullable, deep), patchFields(of.fields, nullable, deep))
}
const patchOptions: AllOptions<PatchOptions> = { nullable: aFlag, deep: aFlag }

const patchFields = (fields: Fields, nullable: boolean, deep: boolean): Fields =>
  Object.fromEntries(
    Object.entries(fields).map(([name, field]) => [name, optionally(fieldNode(field), nullable, deep) as Field]),
  )

/** A record whose rules can be judged on a part of it. */
function patchable<R extends RecordField>(of: R, nullable: boolean, deep: boolean): R {
  const { rules, ...rest } = of as R & { rules?: readonly AnyRule[] }
  if (!rules || !(nullable || deep)) return of
  // Of the type of what it came from, with fewer rules.
  return fieldOf({
    ...rest,
    rules: Object.freeze(rules.filter((rule) => ruleOf(rule).waits(rule).length > 0)),
  }) as RecordField as R
}

function optionally(node: Node, nullable: boolean, deep: boolean): Node {
  const { default: _, ...rest } = node
  // A reader reads what its base has read: what may be left out, may there.
  if (rest.kind === 'readAs') {
    const isRemoved = nullable && node.need !== 'required'
    const base = isRemoved ? { ...rest.base, need: 'optional' } : optionally(rest.base, nullable, false)
    return fieldOf({ ...rest, base, need: 'optional', ...(isRemoved ? { nullable: true } : {}) }) as Node
  }
  const inner =
    deep && rest.kind === 'record'
      ? { ...patchable(rest as RecordField, nullable, deep), fields: patchFields(rest.fields as never, nullable, deep) }
      : rest.kind === 'table' && nullable
        ? tableOfChanges(rest, deep)
        : rest
  if (!nullable) return fieldOf({ ...inner, need: 'optional' }) as Node
  if (node.need !== 'required') return fieldOf({ ...inner, need: 'optional', nullable: true }) as Node
  const { messages = {} } = node
  // Own words may be one for all that can be wrong.
  const kept = typeof messages === 'string' ? messages : { null_not_allowed: 'null_not_allowed.kept', ...messages }
  return fieldOf({ ...inner, need: 'optional', nullable: false, messages: kept }) as Node
}

/**
 * A table whose names change one by one, and go with `null`. It has twice as many names at most: a change may remove all,
 * and put as many others in their place.
 */
function tableOfChanges({ length, ...table }: TableNode, deep: boolean): Node {
  const changed = deep ? optionally({ ...table.value, need: 'optional' }, true, true) : table.value
  const value = fieldOf({ ...changed, need: 'required', nullable: true }) as Node
  return fieldOf({ ...table, value, ...(length && { length: [0, 2 * length[1]] as const }) })
}

/** These fields alone. */
export function only<F extends Fields, const N extends readonly (keyof F)[]>(
  of: RecordField<F>,
  names: N,
): MadeRecord<{ readonly [K in N[number]]: F[K] }> {
  checkVariant(of, 'only', names)
  return variant(of, Object.fromEntries(Object.entries(of.fields).filter(([name]) => names.includes(name))))
}

/** All but these fields. */
export function without<F extends Fields, const N extends readonly (keyof F)[]>(
  of: RecordField<F>,
  names: N,
): MadeRecord<{ readonly [K in Exclude<keyof F, N[number]>]: F[K] }> {
  checkVariant(of, 'without', names)
  return variant(of, Object.fromEntries(Object.entries(of.fields).filter(([name]) => !names.includes(name))))
}

/** The record with more fields, or other fields of the same names. */
export function adding<F extends Fields, G extends Fields>(
  to: RecordField<F>,
  fields: G,
): MadeRecord<Flat<Omit<F, keyof G> & G>> {
  checkVariant(to, 'adding')
  if (!takenFields.takes(fields))
    mistake('adding()', `it adds fields, and not ${shown(fields)}`, 'Write { name: text() }')
  return variant(to, { ...to.fields, ...fields })
}

type Like<F extends Field, O> =
  F extends RecordField<infer G, infer T, infer I, infer P>
    ? RecordField<G, T | Null<O>, I | Null<O>, NeedLike<P, O>>
    : F extends Field<infer T, infer I, infer P>
      ? Field<T | Null<O>, I | Null<O>, NeedLike<P, O>>
      : never
type NeedLike<P extends Need, O> = Extract<keyof O, 'optional' | 'default' | 'readOnly'> extends never ? P : NeedOf<O>

/**
 * The same field with other options of those that every field has.
 *
 * @example
 * const stop = record({ street: text(), town: text() })
 * const trip = record({ from: stop, to: like(stop, { optional: true, title: 'Where it ends' }) })
 */
export function like<F extends Field, const O extends Common<Out<F>>>(of: F, options: O & Common<Out<F>>): Like<F, O> {
  if (!isField(of)) mistake('like()', `it makes a field of a field, and not of ${shown(of)}`, 'Give it a field')
  if (!isPlain(options)) mistake('like()', `its options are ${shown(options)}`, 'Write them as an object: { … }')
  return another(of, options as Common<unknown>) as Like<F, O>
}
function another(of: Field, options: Options): Field {
  const { need, default: usual, ...own } = fieldNode(of)
  const more = given(options)
  const isNew = 'optional' in more || 'default' in more || 'readOnly' in more
  // A reader reads what its base has read: what may be left out, may there.
  if (own.kind === 'readAs') {
    const base = another(own.base as Field, more)
    const { default: _, optional: __, ...annotations } = more
    return fieldOf(frozen({ ...own, ...annotations, base, need: base.need })) as Field
  }
  const kept = isNew ? {} : need === 'defaulted' ? { default: usual } : { optional: need === 'optional' || undefined }
  return make({ [own.kind]: kinds[own.kind] }, { ...kept, ...more }, own)
}
