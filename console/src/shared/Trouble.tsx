/** Trouble tells an error where it happened. */
export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  if (!error) return null
  return (
    <div role="alert" className="alert alert-error my-3">
      <span>{error instanceof Error ? error.message : String(error)}</span>
      {retry && (
        <button className="btn btn-sm" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  )
}
