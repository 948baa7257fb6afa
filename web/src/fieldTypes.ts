import type { Field } from "@/api/client";

/** How the types of fields are called. */
export const fieldTypes: Record<Field["type"], string> = {
  text: "Text",
  number: "Number",
  amount: "Amount",
  quantity: "Quantity",
  percent: "Percent",
  date: "Date",
  "yes-no": "Yes or no",
  choice: "Choice",
  link: "Link",
  email: "E-mail",
  telephone: "Telephone",
  "web-address": "Web address",
  "bank-account": "Bank account",
  "tax-number": "Tax number",
};
