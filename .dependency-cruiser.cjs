// Which folder of the interface may use which: arrows point one way, and no circle. `npm run arrows`.
const above = {
  "^ui/src/kit/format": ["^ui/src/(?!kit/format)"],
  "^ui/src/kit/": ["^ui/src/(?!kit)"],
  "^ui/src/api/": ["^ui/src/(?!api)"],
  "^ui/src/embed/": ["^ui/src/(?!embed)"],
  // The counter's parts are used by the account page; only the entry, main.tsx, knows both.
  "^ui/src/counter/(?!main)": ["^ui/src/(desk|account|embed)"],
  "^ui/src/account/": ["^ui/src/(desk|embed)"],
  // Desk: what each room is made of, then editing and tape, then the rooms by subject, then the frame around them.
  "^ui/src/desk/room/": ["^ui/src/desk/(?!room|queries)", "^ui/src/(counter|account|embed)"],
  "^ui/src/desk/editing/": ["^ui/src/desk/(?!editing|room|queries)", "^ui/src/(counter|account|embed)"],
  "^ui/src/desk/tape/": ["^ui/src/desk/(?!tape|room|editing|queries)", "^ui/src/(counter|account|embed)"],
  "^ui/src/desk/(products|coupons|payments|tax|delivery|papers|checkouts|orders|subscriptions|release|site|people)/":
    ["^ui/src/desk/(frame/|Desk|Kit|main)", "^ui/src/(counter|account|embed)"],
  "^ui/src/desk/frame/": ["^ui/src/desk/(Desk|Kit|main)", "^ui/src/(counter|account|embed)"],
};

module.exports = {
  forbidden: [
    { name: "no-circle", severity: "error", from: {}, to: { circular: true } },
    ...Object.entries(above).map(([from, to]) => ({
      name: `below: ${from}`,
      severity: "error",
      from: { path: from },
      to: { path: to },
    })),
    {
      name: "subjects-side-by-side",
      comment:
        "A room of one subject does not reach into another's: what both need is in room, editing or tape.",
      severity: "error",
      from: {
        path: "^ui/src/desk/(products|payments|tax|delivery|papers|checkouts|orders|release|site|people)/",
      },
      to: {
        path: "^ui/src/desk/(products|coupons|payments|tax|delivery|papers|checkouts|orders|subscriptions|release|site|people)/",
        pathNot: "^ui/src/desk/$1/",
      },
    },
  ],
  options: {
    exclude: { path: "\\.test\\.ts$" },
    doNotFollow: { path: "node_modules" },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { extensions: [".ts", ".tsx", ".js", ".json"] },
  },
};
