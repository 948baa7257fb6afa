export interface Screen {
  to: string;
  label: string;
  /** Whoever has one of these permissions sees it; none: everybody does. */
  needs: string[];
}

/** The screens, in the order of the head. */
export const screens: Screen[] = [
  { to: "/", label: "To do", needs: [] },
  { to: "/plan", label: "Plan", needs: ["rules.read"] },
  { to: "/rules", label: "Rules", needs: ["rules.read"] },
  { to: "/codicils", label: "Codicils", needs: ["rules.read"] },
  { to: "/findings", label: "Findings", needs: ["rules.read"] },
  { to: "/proofs", label: "Proofs", needs: ["rules.read"] },
  { to: "/records", label: "Records", needs: ["records.read"] },
  { to: "/desk", label: "Desk", needs: ["records.change"] },
  { to: "/loads", label: "Loads", needs: ["records.many"] },
  { to: "/tables", label: "Tables", needs: ["rules.read"] },
  { to: "/runs", label: "Runs", needs: [] },
  { to: "/ledger", label: "Ledger", needs: ["ledger.read"] },
];

/** Those behind the name of the person. */
export const ownScreens: Screen[] = [
  { to: "/account", label: "Account", needs: [] },
  { to: "/persons", label: "Persons and roles", needs: ["persons.change"] },
  { to: "/trail", label: "Trail", needs: ["trail.read"] },
];
