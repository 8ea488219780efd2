/** Two verdicts side by side: where they differ. */
import type { Judged } from '../src/terms.ts'
import { shownValue } from './model/words.ts'

export interface Other {
  readonly title: string
  readonly judged: Judged
}
export function Compared({
  title,
  judged,
  other,
  onClose,
}: {
  title: string
  judged: Judged
  other: Other
  onClose: () => void
}) {
  const [one, two] = [cellsOf(judged), cellsOf(other.judged)]
  const addresses = [...new Set([...one.keys(), ...two.keys()])].filter(
    (address) => one.get(address) !== two.get(address),
  )
  return (
    <section className="station compared" aria-label="Compared">
      <table>
        <thead>
          <tr>
            <th scope="col">differs at</th>
            <th scope="col">{title}</th>
            <th scope="col">{other.title}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">verdict</th>
            <td>{verdictOf(judged)}</td>
            <td>{verdictOf(other.judged)}</td>
          </tr>
          {addresses.map((address) => (
            <tr key={address}>
              <th scope="row">
                <code>{address}</code>
              </th>
              <td>{one.get(address) ?? ''}</td>
              <td>{two.get(address) ?? ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {addresses.length === 0 && <p>Both are read the same, field by field.</p>}
      <button type="button" className="quiet" onClick={onClose}>
        close
      </button>
    </section>
  )
}
const verdictOf = ({ outcome, status }: Judged) => (outcome === 'rejected' ? `rejected, ${status}` : outcome)

function cellsOf({ readings, errors }: Judged): ReadonlyMap<string, string> {
  const cells = new Map<string, string>()
  for (const { address, read, how } of readings)
    cells.set(address, how === 'default' ? `${shownValue(read)} by default` : shownValue(read))
  for (const { address, message } of errors) {
    const before = cells.get(address)
    cells.set(address, before ? `${before}; ${message}` : message)
  }
  return cells
}
