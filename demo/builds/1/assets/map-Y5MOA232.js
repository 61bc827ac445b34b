import{b as o}from"/assets/chunk-DOPMOYKG.js";function s(t){let i=o()<360||o()>1380;t.style.opacity=i?".6":"1"}export{s as show};
