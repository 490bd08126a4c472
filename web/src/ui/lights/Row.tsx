import type { ReactNode } from 'react';

/** A setting of a light: its name, and what changes it. */
export const Row = ({ label, children }: { label: string; children: ReactNode }) => (
  <div style={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center', gap: 10, marginBottom: 8 }}>
    <span className="quiet">{label}</span>
    {children}
  </div>
);
