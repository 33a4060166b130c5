import olive_crate as oc
def w1(p): oc.load(p,workers=1)
def w2(p): oc.load(p,workers=2)
def isal(p):
    import zipfile; from isal import isal_zlib
    import struct
    z=zipfile.ZipFile(p); i=z.getinfo("xl/worksheets/sheet1.xml"); f=open(p,"rb"); f.seek(i.header_offset); h=f.read(30); n,e=struct.unpack("<HH",h[26:30]); f.seek(n+e,1); raw=f.read(i.compress_size)
    d=isal_zlib.decompressobj(-15); x=d.decompress(raw); assert len(x)==i.file_size
