/** Lost says that the service cannot be reached, and that it is being tried again. */
export function Lost({ lost }: { lost: boolean }) {
  if (!lost) return null
  return (
    <p role="status" className="mt-2 inline-block rounded-field bg-warning px-2 py-0.5 text-sm text-warning-content">
      The connection to the service is lost; trying again …
    </p>
  )
}
