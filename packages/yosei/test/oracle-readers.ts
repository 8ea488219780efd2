/** What else reads a declaration, beside the engines: what each promises of the others. */
import { type Field, judgeParts, judgeValue } from 'yosei'
import { readJsonSchema, writeJsonSchema } from 'yosei/json-schema'
import { readOpenApi, writeOpenApi } from 'yosei/openapi'
import { judgeProbe, probesOf } from 'yosei/probe'
import { copy, fieldOf, type Spec, show } from './oracle.ts'
import { type Case, count, drawn, sensible } from './oracle-cases.ts'

/** No parameter of a description is null as a text, nor a list of texts with commas in a header. */
const isUndescribed = (spec: Spec): boolean =>
  spec.scalar === 'isNull' ||
  (spec.is === 'list' && spec.items?.[0]?.scalar === 'httpDate') ||
  below(spec).some(isUndescribed)
const below = ({ items = [], fields = {} }: Spec) => [...items, ...Object.values(fields)]

/** Where schemas, descriptions and probes say otherwise than the engine: nowhere, or the case and what each says. */
export async function misreadings(one: Case): Promise<readonly string[]> {
  const { parts, rules, requests, declare } = drawn(one)
  const app = sensible(declare)
  if (!app) return []
  const found: string[] = []
  const say = (...what: unknown[]) => void found.push([...what.map(show), show({ ...one, parts, rules })].join('\n  '))
  for (const probe of probesOf(app)) {
    count(`probe ${probe.outcome}`)
    const { fault } = probe.outcome === 'unprobed' ? {} : await judgeProbe(app, probe)
    if (fault !== undefined) say('probe', fault, probe)
  }
  if (one.source === 'text') return found
  const asJson = (value: object) => JSON.parse(JSON.stringify(value))
  const body = fieldOf(parts.body as Spec) as Field
  const { schema, unsaid } = writeJsonSchema(body)
  const { document } = await writeOpenApi(app)
  const described = Object.values(readOpenApi(asJson(document)).intake.endpoints)[0] as never
  const schemaField = readJsonSchema(asJson(schema), { formats: 'assert' })
  const isDescribed = !isUndescribed(parts.query as Spec) && !isUndescribed(parts.header as Spec)
  for (const given of requests) {
    const [ours, theirs] = [body, schemaField].map((field) => judgeValue(field as Field, copy(given.body)).outcome)
    count(`schema ${theirs}`)
    if (ours === 'accepted' && theirs !== 'accepted') say('the schema is stricter', schema, given)
    if (ours !== 'accepted' && theirs === 'accepted' && unsaid.length === 0) say('the schema is looser', schema, given)
    const [here, there] = [app.endpoints.put, described].map(
      (put) => judgeParts(put as never, copy(given) as never).outcome,
    )
    count(`description ${there}`)
    if (isDescribed && here === 'accepted' && there !== 'accepted')
      say('the description is stricter', document.paths, given)
  }
  return found
}
