/** Outlines as the commands look into them. */
import type { FieldOutline } from 'yosei'

export const parts = ['path', 'query', 'header', 'cookie'] as const

/** Whether what stands under an option is a field, or has names. */
export const isOutline = (value: unknown): value is FieldOutline =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
/** Whether the branches of a union go by the values of its tag. */
export const isFields = (branches: FieldOutline['branches']): branches is { readonly [name: string]: FieldOutline } =>
  branches !== undefined && !Array.isArray(branches)
export const branchesOf = ({ branches = [] }: FieldOutline): readonly FieldOutline[] => Object.values(branches)
