/** Coverage as a table with bars, what was never tripped below its endpoint. */
import type { Demanded } from 'yosei/probe'
import type { Coverage } from './coverage.js'
import { bar, pc, shorten, visible, width } from './terminal.js'

export function coverageText(coverage: Coverage): string {
  const rows = coverage.rows()
  const names = Math.max(0, ...rows.map(({ endpoint }) => endpoint.length))
  const lines = rows.flatMap(({ endpoint, tripped, all, untripped }) => {
    const share = pc.green(bar(all === 0 ? 1 : tripped / all, 24))
    const head = `${endpoint.padEnd(names)}  ${share} ${percent(tripped, all)}  ${pc.gray(`${tripped} of ${all}`)}`
    return [head, ...untrippedLines(untripped)]
  })
  const sum = (of: 'tripped' | 'all') => rows.reduce((all, row) => all + row[of], 0)
  const [tripped, all] = [sum('tripped'), sum('all')]
  const whole = `${pc.bold(percent(tripped, all).trim())} covered: ${tripped} of ${all} limits and rules`
  return [...lines, '', whole].join('\n')
}

const percent = (part: number, all: number) => `${(all === 0 ? 100 : (100 * part) / all).toFixed(0)} %`.padStart(5)

/** A line for each address. */
function untrippedLines(untripped: readonly Demanded[]): string[] {
  const byAddress = new Map<string, string[]>()
  for (const { address, code } of untripped) byAddress.set(address, [...(byAddress.get(address) ?? []), code])
  byAddress.get('')?.sort()
  return [...byAddress].map(([address, codes]) => {
    const where = visible(address === '' ? 'statuses' : address)
    return `    ${pc.cyan(where)}  ${pc.gray(shorten(visible(codes.join(' ')), Math.max(10, width - 6 - where.length)))}`
  })
}
