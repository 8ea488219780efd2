/** A labelled control, for both forms of React. */
import type { ChangeEvent } from 'react'
import { labelOf } from './language.ts'
import { kinds, type Name } from './proposal.ts'

interface Props {
  readonly name: Name
  readonly value: string
  readonly error: string | undefined
  readonly change: (value: string) => void
  readonly leave: () => void
}

export function Control({ name, value, error, change, leave }: Props) {
  const { label, type } = labelOf(name)
  const props = {
    id: name,
    name,
    value,
    onChange: ({ target }: ChangeEvent<HTMLInputElement & HTMLSelectElement & HTMLTextAreaElement>) =>
      change(target.value),
    onBlur: leave,
    'aria-invalid': error !== undefined,
    'aria-describedby': `${name}-error`,
  }
  return (
    <div>
      <label htmlFor={name}>{label}</label>
      {type === 'select' ? (
        <select {...props}>
          {['', ...kinds].map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      ) : type === 'textarea' ? (
        <textarea {...props} />
      ) : (
        <input type={type} {...props} />
      )}
      <small id={`${name}-error`}>{error}</small>
    </div>
  )
}
