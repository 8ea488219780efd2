/** A field of the form, by its kind: all that it says comes from the declaration. */
import type { ReactNode } from 'react'
import {
  blankOf,
  branchOf,
  type Field,
  helpOf,
  labelAt,
  labelOf,
  shapeOf,
  type Value,
  type Values,
  valueAt,
} from './outline.ts'

/** What is used of the form library: fields by their addresses. */
export interface FormApi {
  readonly Field: (props: { name: string; mode?: 'array'; children: (field: FieldApi) => ReactNode }) => ReactNode
  setFieldValue(name: string, value: Value): void
  setFieldMeta(name: string, change: (meta: object) => object): void
}
interface FieldApi {
  readonly state: { readonly value: Value; readonly meta: { readonly isBlurred: boolean } }
  handleChange(value: Value): void
  handleBlur(): void
  pushValue(value: Value): void
  removeValue(index: number): void
}
export interface FieldProps {
  readonly form: FormApi
  readonly address: string
  readonly name: string
  readonly field: Field
  readonly values: Values
  readonly faultsAt: (address: string, isLeft: boolean) => readonly string[]
  /** What the server has for fields of some addresses, to choose from. */
  readonly choices: { readonly [address: string]: readonly string[] }
}

export function FieldControl(props: FieldProps) {
  const { form, address, name, field: given, faultsAt, values } = props
  const field = shapeOf(given)
  const fields = field.branches ? branchOf(field, (valueAt(values, address) ?? {}) as Value) : field.fields
  if (fields) {
    const inner = Object.entries(fields).map(([own, one]) => (
      <FieldControl key={own} {...props} address={`${address}.${own}`} name={own} field={one} />
    ))
    if (name === '') return inner
    return (
      <fieldset id={address}>
        <legend>{labelOf(name, given)}</legend>
        {inner}
        <Faults at={address} told={faultsAt(address, true)} />
      </fieldset>
    )
  }
  if (field.item || field.kind === 'table')
    return (
      <form.Field name={address} mode="array">
        {(api) => (
          <fieldset id={address}>
            <legend>{labelOf(name, given)}</legend>
            <p className="help">{helpOf(given)}</p>
            {(api.state.value as readonly Value[]).map((_, index) => (
              <div className="row" key={index}>
                {field.item ? (
                  <FieldControl {...props} address={`${address}[${index}]`} name="" field={field.item} />
                ) : (
                  <>
                    <FieldControl
                      {...props}
                      address={`${address}[${index}].name`}
                      name="name"
                      field={{ kind: 'text', need: 'required' }}
                    />
                    <FieldControl
                      {...props}
                      address={`${address}[${index}].value`}
                      name="value"
                      field={field.value as Field}
                    />
                  </>
                )}
                <button
                  type="button"
                  onClick={() => api.removeValue(index)}
                  aria-label={`take out ${labelAt(`${address}[${index}]`)}`}
                >
                  −
                </button>
              </div>
            ))}
            <button
              type="button"
              onClick={() => api.pushValue(field.item ? blankOf(field.item) : { name: '', value: '' })}
            >
              + {labelOf(name, given).toLowerCase()}
            </button>
            <Faults at={address} told={tableFaults(props, address, field)} />
          </fieldset>
        )}
      </form.Field>
    )
  return (
    <form.Field name={address}>
      {(api) => {
        const told = faultsAt(address, api.state.meta.isBlurred)
        const text = String(api.state.value ?? '')
        const choices = field.kind === 'choice' ? (field.values ?? []).map(String) : (props.choices[address] ?? [])
        const common = {
          id: address,
          'aria-invalid': told.length > 0 || undefined,
          'aria-describedby': `${address}-help ${address}-faults`,
          onBlur: () => api.handleBlur(),
        }
        const set = (event: { target: { value: string } }) => api.handleChange(event.target.value)
        return (
          <div className="field" data-address={address}>
            <label htmlFor={address}>{labelOf(name, given)}</label>
            {choices.length > 0 ? (
              <select {...common} value={text} onChange={set}>
                {text === '' && <option value="">choose</option>}
                {[...choices, ...(text === '' || choices.includes(text) ? [] : [text])].map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            ) : field.kind === 'flag' ? (
              <select {...common} value={text} onChange={set}>
                <option value="">{field.need === 'defaulted' ? String(field.default) : 'not said'}</option>
                {[true, false].flatMap((one) =>
                  one === field.default ? [] : [<option key={String(one)}>{String(one)}</option>],
                )}
              </select>
            ) : field.kind === 'instant' ? (
              <input
                {...common}
                type="datetime-local"
                value={text.replace(/:00Z$/, '')}
                onChange={({ target: { value } }) => api.handleChange(value === '' ? '' : `${value.slice(0, 16)}:00Z`)}
              />
            ) : (field['length'] as readonly number[] | undefined)?.[1] === 500 ? (
              <textarea {...common} value={text} rows={2} onChange={set} />
            ) : (
              <input
                {...common}
                type={field.secret ? 'password' : 'text'}
                value={text}
                onChange={set}
                spellCheck={false}
                autoComplete="off"
              />
            )}
            <p className="help" id={`${address}-help`}>
              {address in props.choices ? '' : helpOf(given)}
            </p>
            <Faults at={address} told={told} />
          </div>
        )
      }}
    </form.Field>
  )
}

/** Of a table also what is wrong with its names and values: its rows have other addresses here. */
function tableFaults({ faultsAt, values }: FieldProps, address: string, field: Field): readonly string[] {
  const own = faultsAt(address, false)
  if (field.kind !== 'table') return own
  const rows = (valueAt(values, address) ?? []) as readonly { readonly name: string }[]
  return [
    ...own,
    ...rows.flatMap(({ name }) =>
      faultsAt(
        /^[A-Za-z_$][\w$-]*$/.test(name) ? `${address}.${name}` : `${address}[${JSON.stringify(name)}]`,
        true,
      ).map((one) => `${name} ${one}`),
    ),
  ]
}

function Faults({ at, told }: { at: string; told: readonly string[] }) {
  return (
    <p className="faults" id={`${at}-faults`} data-faults={at}>
      {told.join('; ')}
    </p>
  )
}
