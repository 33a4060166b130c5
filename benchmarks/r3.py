import olive_crate as oc
import fixed
def w1(p): oc.load(p,fields=fixed.FIELDS,types="number",workers=1)
def w2(p): oc.load(p,fields=fixed.FIELDS,types="number",workers=2)
def f1(p): oc.load(p,fields=fixed.FIELDS,workers=1)
