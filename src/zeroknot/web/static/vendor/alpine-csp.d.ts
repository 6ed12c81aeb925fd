/** What is used of Alpine's CSP build. */
declare const Alpine: { data(name: string, make: () => object): void;
  directive(name: string, made: (field: any, directive: {expression: string}, tools: any) => void): void; start(): void };
export default Alpine;
