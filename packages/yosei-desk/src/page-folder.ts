/** Where the page lies that was built. */
export const pageFolder = new URL('./page/', import.meta.url)
