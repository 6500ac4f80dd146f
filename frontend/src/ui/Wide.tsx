import type { ReactNode } from "react";

interface WideProps {
  label: string;
  children: ReactNode;
}

/** Something wider than a phone: it scrolls sideways, by the arrow keys too. */
export function Wide({ label, children }: WideProps) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows scroll what a phone cannot show at once
    <section className="min-w-0 relative overflow-x-auto" aria-label={label} tabIndex={0}>
      {children}
    </section>
  );
}
