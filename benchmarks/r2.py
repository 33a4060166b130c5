import olive_crate as oc
def w1(p): oc.load(p,workers=1)
def w2(p): oc.load(p,workers=2)
