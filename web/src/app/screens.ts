/** The screens, in the order of the head. */
export const screens = [
  { to: "/", label: "To do" },
  { to: "/plan", label: "Plan" },
  { to: "/rules", label: "Rules" },
  { to: "/findings", label: "Findings" },
  { to: "/proofs", label: "Proofs" },
  { to: "/records", label: "Records" },
  { to: "/loads", label: "Loads" },
  { to: "/tables", label: "Tables" },
  { to: "/runs", label: "Runs" },
  { to: "/ledger", label: "Ledger" },
];
