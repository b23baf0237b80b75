import { readFileSync, writeFileSync } from 'node:fs'
import sharp from 'sharp'
import { GasSimulation } from '@lantern/core/gas'
import { makeItem, makeShot, type GasItem } from '@lantern/core/shot'
import { gasSettings, renderPicture, plateImage, composeFrame, stackSettings, cameraAt } from '@lantern/core/pipeline'
import { readCameraGltf } from '@lantern/core/formats'
import { measureGrain, toDisplay } from '@lantern/core/sit'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
const crew=nodeCrew(1)
const doc=makeShot('t',{asset:'a',file:'f',width:1280,height:720,first:1001,last:1120,rate:[24,1],encoding:'srgb'})
doc.items.ground=makeItem('ground',{name:'Cobbles',order:1})
doc.items.wall=makeItem('box',{name:'Kiln',order:2,position:[2.5,0,-3],width:13,height:4.2,depth:6})
doc.items.crate=makeItem('box',{name:'Crate',order:3,position:[0.35,0,2.6],width:0.8,height:0.8,depth:0.8,turn:14.3})
doc.items.fire=makeItem('gas',{name:'Door fire',order:4,position:[1.3,0,1.3],diameter:1.2,heat:500,cell:+(process.argv[2]??60)})
const s=gasSettings(doc,doc.items.fire as GasItem,'full')
const sim=new GasSimulation(crew,s,24)
const t0=performance.now()
const N=+(process.argv[3]??40)
for(let i=0;i<N;i++)sim.advance()
console.log('sim',performance.now()-t0,sim.box)
const frame=sim.keep()
const path=readCameraGltf(readFileSync('/tmp/w/plates/yard-walk-camera.gltf'),'x',{width:1280,height:720,first:1001,last:1120,rate:24})
const cam=cameraAt({camera:{...doc.camera,kind:'path'},plate:doc.plate},path,1001)!
const {data}=await sharp('/tmp/w/f.png').removeAlpha().raw().toBuffer({resolveWithObject:true})
const plate=plateImage(new Uint8Array(data),1280,720,'srgb')
const g=measureGrain(plate);console.log(JSON.stringify(g))
for(const q of ['look','final'] as const){const t=performance.now();const p=renderPicture(crew,doc,cam,[frame],q);console.log(q,performance.now()-t)
 for(const ev of [0,-3,-5]){const t=performance.now();doc.sit.fireExposure=ev;const im=composeFrame(crew,plate,p,stackSettings(doc.sit,g),1280,1001);const b=toDisplay(crew,im,0,'soft');console.log('stack',performance.now()-t)
 await sharp(b,{raw:{width:1280,height:720,channels:4}}).png().toFile(`/tmp/w/out-${q}${ev}.png`)}}
crew.end()
