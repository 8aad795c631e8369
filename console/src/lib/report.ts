/** Where the service writes a report as a file. */
export const reportFile =
  (report: 'findings' | 'work' | 'grid', asked: Record<string, string | undefined>) => (form: string) => {
    const query = new URLSearchParams({ report, form })
    for (const [k, v] of Object.entries(asked)) if (v) query.set(k, v)
    return `/api/reports/file?${query}`
  }

/** Puts the page on paper. */
export const onPaper = () => window.print()
