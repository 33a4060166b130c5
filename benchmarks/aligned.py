import random, sys
import olive_crate as oc
WORDS="Frantoio Leccino Moraiolo Pendolino Coratina Ogliarola Carboncella Itrana Maurino Vecchio Alto Basso Colle Monte Valle Fonte Pozzo San Ponte Rio".split()
def column(r, kind, rows):
    def num(lo,hi): return str(r.randint(lo,hi))
    if kind=="int": hi=r.choice([9,99,999,9999,99999]); return [num(0,hi) for _ in range(rows)], ">"
    if kind=="neg": hi=r.choice([99,999,9999]); return [num(-hi,hi) for _ in range(rows)], ">"
    if kind=="dec": d=r.choice([1,2,3]); hi=r.choice([1,10,100,1000]); lo=r.choice([0,0,-1]); return [f"{r.uniform(lo*hi,hi):.{d}f}" for _ in range(rows)], ">"
    if kind=="word": return [r.choice(WORDS) for _ in range(rows)], "<"
    if kind=="two": return [f"{r.choice(WORDS)} {r.choice(WORDS)}" if r.random()<.7 else r.choice(WORDS) for _ in range(rows)], "<"
    if kind=="date": return [f"2025-{r.randint(1,12):02}-{r.randint(1,28):02}" for _ in range(rows)], "<"
    if kind=="date2": return [f"{r.randint(1,28)}/{r.randint(1,12)}/2025" for _ in range(rows)], r.choice("<>")
    if kind=="code": p=r.choice("ABGPX"); return [f"{p}{r.randint(1,999):03}" for _ in range(rows)], "<"
    if kind=="gap": 
        base=[num(1,r.choice([99,9999])) for _ in range(rows)]
        return [x if r.random()<.7 else "" for x in base], ">"
KINDS=["int","neg","dec","word","two","date","date2","code","gap"]
def make(seed):
    r=random.Random(seed)
    rows=r.choice([12,15,25,40,100,250,500])
    k=r.randint(3,8)
    cols=[]
    for i in range(k):
        kind=r.choice(KINDS)
        if i==0 and kind=="gap": kind="code"
        c,al=column(r,kind,rows); cols.append((kind,c,al))
    heading=r.random()<.5
    names=[f"{r.choice(['acid','oil','kg','site','mill','day','lot','ph','val'])}{i}" for i in range(k)] if heading else None
    widths=[max(max(map(len,c)), len(names[i]) if heading else 0) for i,(_,c,_) in enumerate(cols)]
    gaps=[r.choice([1,1,2,3]) for _ in range(k-1)]+[0]
    def line(cells):
        return "".join((f"{x:>{w}}" if al==">" else f"{x:<{w}}")+" "*g for x,w,g,(_,_,al) in zip(cells,widths,gaps,cols)).rstrip()
    lines=[line(names)] if heading else []
    lines+=[line([c[i] for _,c,_ in cols]) for i in range(rows)]
    truth=[[c[i] for _,c,_ in cols] for i in range(rows)]
    return "\n".join(lines)+"\n", truth, names, cols
def judge(text, truth):
    ds=oc.load(text.encode(), type="text") if False else oc.load(text.encode(), types="text")
    got=[["" if v is None else v for v in ds[n].values.to_pylist()] for n in ds.names]
    got=list(map(list,zip(*got)))
    got=[[c.strip() for c in row] for row in got]
    return got==truth, ds
if __name__=="__main__":
    n=int(sys.argv[1]) if len(sys.argv)>1 else 80
    base=int(sys.argv[2]) if len(sys.argv)>2 else 0
    right=certain_wrong=0; bad=[]
    for s in range(base,base+n):
        text,truth,names,cols=make(s)
        try: ok,ds=judge(text,truth)
        except Exception as e: ok,ds=False,None; bad.append((s,"ERR "+str(e)[:80])); continue
        open_=[e for e in ds.receipt.decided if not e.certain and e.about.split(".")[0] in("layout","fixed","delimited","rows")]
        right+=ok
        if not ok:
            bad.append((s, ds.plan.layout, len(truth), len(truth[0]), len(ds.names), len(ds), "open" if open_ else "CERTAIN", [c[0] for c in cols], bool(names)))
    print(right,"of",n)
    for b in bad: print(b)
