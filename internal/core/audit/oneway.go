package audit

import "zarvek/internal/core/forward"

// OneWay means that packets arrive, and their replies are delivered to somebody else. (Where replies are lost for
// another reason, that reason's finding says that it is one-way.)
const OneWay Kind = "one-way"

func takeOneWay(a *auditor, f *Finding, _ *byCause) bool { return f.Reason.Code == forward.WrongPlace }
